"""What a complaint in somebody's words asks for: a plan, what to take along, what to ask the driver for, and what can hurt.

Words are read for two things, how it fails and on which current; a plan is proposed where both are plain, else what is
missing is said. Words and lists: common practice, no source.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import NamedTuple

from gladwire.core.case.checklist.plan import BY_PLAN, PLANS, Plan
from gladwire.core.case.checklist.walk import Walk
from gladwire.core.diagnosis.tests import TOOLS, Test

# A word that is denied says nothing: “it is not slow”, “nothing is burnt”.
_DENIED = re.compile(
    r"\b(?:not|never|no|nothing|none|neither|without|isn't|wasn't|doesn't|didn't|don't)\W+(?:\w+\W+){0,2}$", re.I
)


def _pattern(*words: str) -> re.Pattern[str]:
    return re.compile(rf"\b(?:{'|'.join(words)})\b", re.I)


class _Sign(NamedTuple):
    """What a pattern speaks of. denied: whether a “not” before it takes it back; else it holds one itself."""

    of: str
    pattern: re.Pattern[str]
    denied: bool = True


_NOT = r"(?:not|never|no longer|won't|wont|will not|does not|doesn't|doesnt|did not|didn't|can't|cannot|can not|refuses to)"
_MEANS = r"(?:cards?|app|contracts?|tags?|rfid|payment|account|subscription)"
_TURNED_DOWN = r"(?:refus(?:es|ed|al)|reject(?:s|ed)|declined?s?)"
_HOW: tuple[_Sign, ...] = (
    # A display that is “stuck at preparing” holds no plug.
    _Sign("stuck", _pattern(r"stuck(?!\W+(?:at|on|with|saying))|jammed|trapped|held fast|locked in")),
    _Sign(
        "stuck", _pattern(rf"{_NOT}\W+(?:\w+\W+){{0,2}}?(?:release|unlock|let go|come out|be removed|unplug\w*)"), False
    ),
    # What a post refuses to do is another matter than whom it refuses.
    _Sign(
        "refused",
        _pattern(
            rf"{_MEANS}\W+(?:\w+\W+){{0,3}}?{_TURNED_DOWN}",
            rf"{_TURNED_DOWN}\W+(?:\w+\W+){{0,2}}?{_MEANS}",
            r"(?:invalid|unknown) (?:card|tag|contract)|unauthori[sz]ed|authori[sz]ation\W+(?:failed|refused|declined)",
        ),
    ),
    _Sign(
        "refused",
        _pattern(
            rf"{_NOT}\W+(?:\w+\W+){{0,2}}?(?:authori[sz]e\w*|recogni[sz]e\w*)",
            rf"{_NOT}\W+(?:\w+\W+){{0,2}}?accept\w*\W+(?:\w+\W+){{0,2}}?{_MEANS}",
            rf"{_MEANS}\W+(?:\w+\W+){{0,2}}?{_NOT}\W+(?:\w+\W+){{0,1}}?(?:work\w*|accept\w*)",
        ),
        False,
    ),
    _Sign("bus", _pattern(r"retrofit\w*|converted|conversion|can bus|controller fitted")),
    _Sign(
        "slow",
        _pattern(
            r"slow(?:er|ly)?|derat\w*|throttl\w*|sluggish|crawl\w*|too little power|less (?:power )?than promised",
            r"(?:half|third|quarter|fraction) (?:of )?(?:the )?(?:power|speed)|half speed|takes (?:far |much )?too long",
            r"(?:power|current|it)\W+sinks|sinks to|never (?:more|over|above)(?: than)?\W+\d+",
            r"(?:only|just|at most)\W+\d+(?:[.,]\d+)?\W*(?:kw|a|amp\w*)",
        ),
    ),
    _Sign(
        "stops",
        _pattern(
            r"stop(?:s|ped|ping)?|drops?|dropped|dropping|abort\w*|cuts? (?:out|off)|interrupt\w*|breaks? off",
            r"ends by itself|trips?|tripped|disconnect\w*|quits?|(?:died|dies) (?:at|after|on|in)",
        ),
    ),
    _Sign(
        "start",
        _pattern(
            rf"{_NOT}\W+(?:(?!stop)\w+\W+){{0,2}}?(?:charge|charging|start\w*|begin\w*|work\w*|connect\w*|wake\w*|respond\w*)",
            rf"{_NOT}\W+(?:switch on|come (?:up|on))|never comes? (?:up|on)",
            r"nothing (?:happens|comes|starts|offered)|(?:takes|offers|gives|does) nothing",
            r"no (?:charge|charging|reaction|power|current)|fails? to (?:start|charge)|dead",
            r"(?:stays?|hangs?|stuck|waits?) (?:at|on|for|saying) \W*\w+|says “?\w+”? for ever",
        ),
        False,
    ),
)
# Reversed, these say that it did what the complaint is about: what stops had begun.
_CURRENT: tuple[_Sign, ...] = (
    _Sign("dc", _pattern(r"dc|rapid|(?:fast|quick) (?:charg\w*|posts?|lane)|ccs|combo|mode 4|hpc"), True),
    _Sign(
        "ac",
        _pattern(r"ac|type ?[12]|mode [123]|wall ?box\w*|slow lead|portable lead|household|home|socket|tethered"),
        True,
    ),
)
_EVERYWHERE = _pattern(
    r"anywhere|everywhere|nowhere|no post|any post|every post|all posts|posts and (?:the )?portable lead"
)
_WELL = r"(?:(?:works?|charges?)(?!\W+(?:not|nothing))|(?:is|are|does|do)\W+(?:well|fine|ok|okay|so|charge|work))"
_PORTABLE_WORKS = _pattern(
    rf"portable lead\W+(?:\w+\W+){{0,2}}?{_WELL}",
    r"(?:charges?|works?|fine|well)\W+(?:\w+\W+){0,4}?(?:portable lead|at home)",
)
_POSTS_WORK = _pattern(
    rf"posts?\W+(?:\w+\W+){{0,2}}?{_WELL}", r"(?:charges?|works?|fine|well)\W+(?:\w+\W+){0,4}?posts?"
)
# “The slow lead” and “the slow post” are things, not complaints.
_A_LEAD = re.compile(r"\bslow[- ](?:lead|cable)s?\b", re.I)
_A_POST = re.compile(r"\bslow[- ](?:charger|post)s?\b", re.I)
_PART = r"(?:plug|socket|inlet|connector|cable|lead|housing)"
# What can hurt is taken back by a plain “no” alone: “not charging, smoke” and “won't start smells burnt” warn.
_DENIED_PLAINLY = re.compile(
    r"\b(?:not|no|never|nothing|none|neither|without|isn't|wasn't|doesn't|didn't)\W+"
    r"(?:(?:is|was|looks?|seems?|any|a|the|sign|signs|trace|traces|smell|of|at all|visibly)\W+)*$",
    re.I,
)
# A lamp burns and flashes as it should.
_OF_A_LAMP = re.compile(r"\b(?:lamps?|lights?|leds?|display|indicator)\W+(?:\w+\W+){0,2}$", re.I)
_WEATHER = r"(?!\W+(?:days?|weather|mornings?|afternoons?|nights?|summers?|outside|sun))"
_HURTS: tuple[tuple[str, re.Pattern[str]], ...] = (
    (
        "burnt",
        _pattern(
            r"burn(?:t|ed|ing|s)?|melt\w*|scorch\w*|charred|discolou?red|smell\w*|smok(?:e|es|ed|ing)",
            r"fire(?!\W+(?:stations?|brigade|department|service|hall|engines?))|flames?",
        ),
    ),
    ("shock", _pattern(r"shocks?|shocked|tingl\w*|zap(?:s|ped)?|electrocut\w*|live (?:case|housing|body|metal)")),
    ("arc", _pattern(r"sparks?|sparking|arc(?:s|ed|ing)?|flash(?:es|ed)?|bang|explo\w*")),
    (
        "hot",
        _pattern(
            rf"(?:too |very |burning )hot{_WEATHER}|overheat\w*",
            rf"hot {_PART}",
            rf"{_PART} \w+ (?:\w+ )?hot{_WEATHER}",
        ),
    ),
    (
        "broken",
        _pattern(
            r"(?:bare|exposed) (?:wire|copper|core|conductor|contact)s?|crushed|run over|cut cable",
            rf"(?:damaged|cracked|broken) {_PART}|{_PART} (?:is |was )?(?:damaged|cracked|crushed)",
        ),
    ),
    (
        "insulation",
        _pattern("insulation|isolation|earth fault|ground fault|residual current|leak(?:age|s)? to earth"),
    ),
)
_WARNS = {
    "burnt": "burning or heat damage",
    "shock": "a shock",
    "arc": "sparks",
    "hot": "something hot",
    "broken": "damage",
    "insulation": "insulation or earth",
}
_BEFORE_ANYONE_GOES = (
    "Until somebody has looked, nobody plugs in, tries again or touches it: tell the driver and the operator now, have the "
    "post locked off and the lead kept out of use. Trained people, under local codes."
)


class Warned(NamedTuple):
    """What was told and may speak of something that can hurt. words: as they stand there."""

    words: tuple[str, ...]
    says: str


class Suggested(NamedTuple):
    """plans: those a complaint fits, one where it is plain. by: the words, or ticked modes, that say so. missing: what would
    decide; "" where it is."""

    plans: tuple[Plan, ...]
    by: tuple[str, ...]
    missing: str


class Taken(NamedTuple):
    """Something to take along. tool: its key, "" for what is none of the tools; why: what for."""

    words: str
    why: str
    tool: str = ""


class Kit(NamedTuple):
    """take: to take along; ask: what the driver is asked to bring, to do, or to leave as it is."""

    take: tuple[Taken, ...]
    ask: tuple[str, ...]


def warned_by(text: str) -> Warned | None:
    """What people told that can hurt somebody; None where nothing in it speaks of that."""
    found = [(key, hit) for key, pattern in _HURTS if (hit := _first(pattern, text, (_DENIED_PLAINLY, _OF_A_LAMP)))]
    if not found:
        return None
    kinds = dict.fromkeys(_WARNS[key] for key, _ in found)
    says = f"What was told speaks of {_and(list(kinds))}. {_BEFORE_ANYONE_GOES}"
    return Warned(tuple(dict.fromkeys(hit for _, hit in found)), says)


def suggested(text: str, modes: Sequence[str]) -> Suggested:
    """The plan for a complaint. modes: keys of the modes that were ticked as failing."""
    said = _A_POST.sub("AC post", _A_LEAD.sub("portable lead", text))
    how, by = _heard(_HOW, said)
    if {"stops", "stuck"} & how and "start" in how and _said(_pattern("starts?|started|begins?|began"), said, False):
        how.discard("start")  # it begins, and then does not go on
    if "stuck" in how:
        how -= {"stops", "start"}
    # What is told to work is not what fails.
    failing = _PORTABLE_WORKS.sub(" ", said) if _said(_PORTABLE_WORKS, said, True) else said
    current, words = _heard(_CURRENT, failing)
    currents = {"dc" if mode == "dc" else "ac" for mode in modes} or current
    by += ["what was ticked"] if modes else words if currents else []
    if "refused" in how:
        how = {"refused"}
    found = tuple(p for key in sorted(how, key=_ORDER.index) for p in _plans(key, currents, said, modes))
    if not how:
        found = tuple(p for p in PLANS if currents and _current_of(p) in currents)
        missing = "Say whether it does not start, stops, is slow, is refused, or will not come out."
        return Suggested(found, tuple(dict.fromkeys(by)), missing)
    return Suggested(found, tuple(dict.fromkeys(by)), _missing(found, how, currents, bool(modes)))


_ORDER = ("stuck", "refused", "bus", "stops", "slow", "start")


def _missing(found: Sequence[Plan], how: set[str], currents: set[str], ticked: bool) -> str:
    if len(found) == 1:
        return ""
    if len(how) > 1:
        return "It speaks of several things: choose the one to begin with. The others stay in the complaint."
    if len(currents) > 1 and not ticked:
        return "It speaks of AC and of DC: tick on which it fails."
    if len(currents) > 1:
        return "AC and DC both fail: choose the one to begin with; each is proven by itself."
    if any(plan.key == "nowhere" for plan in found) and len(found) == 2 and currents:
        return "Say whether it charges on the other, portable lead or post: that decides between these."
    return "Tick on which it fails: that decides between these."


def _plans(how: str, currents: set[str], text: str, modes: Sequence[str]) -> list[Plan]:
    if how in ("stuck", "refused", "bus"):
        return [BY_PLAN[how]]
    of = [c for c in ("ac", "dc") if c in currents] or ["ac", "dc"]
    found = []
    for current in of:
        if current == "dc":
            found.append({"stops": "dc_stops", "slow": "dc_slow", "start": "dc_nothing"}[how])
        elif how != "start":
            found.append({"stops": "stops", "slow": "ac_slow"}[how])
        else:
            found += _ac_start(text, modes)
    return [BY_PLAN[key] for key in found]


def _ac_start(text: str, modes: Sequence[str]) -> list[str]:
    """By the modes that were ticked as failing: what is not ticked may work, or was not tried."""
    portable, posts = "mode2" in modes, bool({"mode3_socket", "mode3_tethered"} & {*modes})
    if (portable and posts) or _EVERYWHERE.search(text):
        return ["nowhere"]
    if portable:
        return ["slow_only"] if _said(_POSTS_WORK, text, True) else ["slow_only", "nowhere"]
    if posts or _said(_PORTABLE_WORKS, text, True):
        return ["post_only"] if _said(_PORTABLE_WORKS, text, True) else ["post_only", "nowhere"]
    return ["nowhere", "slow_only", "post_only"]


def _current_of(plan: Plan) -> str:
    return "ac" if plan.ac else "dc" if plan.key.startswith("dc") else ""


def _heard(signs: Sequence[_Sign], text: str) -> tuple[set[str], list[str]]:
    found, by = set[str](), list[str]()
    for sign in signs:
        if word := _said(sign.pattern, text, sign.denied):
            found.add(sign.of)
            by.append(f"“{word}”")
    return found, by


def _said(pattern: re.Pattern[str], text: str, denied: bool) -> str:
    """The words that match, the first of them that is not denied; "" for none."""
    return _first(pattern, text, (_DENIED,) if denied else ())


def _first(pattern: re.Pattern[str], text: str, unless: Sequence[re.Pattern[str]]) -> str:
    """The first words that match and in whose own clause nothing of `unless` stands before them; "" for none."""
    for match in pattern.finditer(text):
        clause = re.split(r"[.;:!?,\n]|\b(?:but|then|and)\b", text[: match.start()])[-1]
        if not any(one.search(clause) for one in unless):
            return " ".join(match[0].split()).lower()
    return ""


def _and(words: Sequence[str]) -> str:
    if not words:
        return ""
    return " and ".join([", ".join(words[:-1]), words[-1]] if len(words) > 1 else words)


def kit_of(plan: Plan, found: Walk) -> Kit:
    """What the steps take that are still to be done, by what was answered so far."""
    steps = [place.step for place in found.places if place.state in ("now", "later")]
    tests = [step.test for step in steps]
    tools: dict[str, list[str]] = {}
    for step in steps:
        for tool in step.test.needs:
            tools.setdefault(tool, []).append(step.title)
    take = [Taken(TOOLS[tool], _what_for(TOOLS[tool], titles), tool) for tool, titles in tools.items()]
    take += [Taken(words, why) for words, why, wanted in _ALSO if wanted(plan, tests)]
    return Kit(tuple(take), tuple(words for words, wanted in _ASK if wanted(plan, tests)))


def _what_for(tool: str, titles: Sequence[str]) -> str:
    """The steps it is for; "" where the step is named as the tool is."""
    return _and([title for title in titles if not title.lower().startswith(tool)][:3])


_Wanted = Callable[[Plan, Sequence[Test]], bool]


def _does(*acts: str) -> _Wanted:
    return lambda _, tests: any(test.act in acts for test in tests)


def _has(*keys: str) -> _Wanted:
    return lambda _, tests: any(test.key in keys for test in tests)


def _is_dc(plan: Plan, _: Sequence[Test]) -> bool:
    return bool({"frames", "power"} & plan.lanes)


def _own_lead(plan: Plan, tests: Sequence[Test]) -> bool:
    return ("proximity" in plan.lanes and plan.ac) or _has("coded", "cp_core", "swap_lead")(plan, tests)


_ALSO: tuple[tuple[str, str, _Wanted], ...] = (
    (
        "protective equipment as local codes ask for it",
        "insulating gloves and eye protection of the volts there; barriers for the bay",
        _does("probe", "energise"),
    ),
    ("lock-off kit and a two-pole voltage tester", "dead before anything is measured dead", _does("dead")),
    (
        "breakout between plug and inlet",
        "CP, PP and PE within reach without anything being opened",
        lambda p, t: "pilot" in p.lanes and _has("plug_in", "hold", "dc_frames")(p, t),
    ),
    (
        "camera or phone on a stand",
        "volts, amperes and state of charge filmed from a display, where nothing logs them",
        _has("dc_course"),
    ),
    ("lamp, mirror and a clean cloth", "looking into plug, inlet and socket", _has("look")),
    ("a card or account that is known to work", "whose the refusal is", _has("other_means", "access")),
)

_ASK: tuple[tuple[str, _Wanted], ...] = (
    ("Leave stored codes as they are: nothing cleared, no battery taken off.", _has("codes")),
    ("Photographs or films of what displays and app said, with their times.", _has("codes", "access", "other_means")),
    (
        "Arrive with 10 to 40 % and driven warm: a full or a cold pack is slow by itself.",
        lambda p, _: p.key in ("dc_slow", "dc_stops"),
    ),
    (
        "Arrive under 80 %, so that the vehicle asks for current.",
        lambda p, _: p.key not in ("dc_slow", "dc_stops", "stuck"),
    ),
    ("The lead it fails with, and another one where there is one.", _own_lead),
    ("The adapter, where one is used.", _is_dc),
    ("The card, and the phone with the app it was begun with.", _has("other_means", "access", "other_stall_started")),
    ("The key or remote, and somebody who may unlock the vehicle.", _has("release", "substitute", "stuck_stop")),
    ("The software versions of vehicle and controller, as their menus say.", _has("since", "controller_warns")),
    ("Nobody pulls at the plug meanwhile.", lambda p, _: p.key == "stuck"),
)
