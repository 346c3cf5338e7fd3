"""A plan walked by the judge: which step tells most now, which come, which wait and why."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal, NamedTuple

from gladwire.core.answers import Answer
from gladwire.core.case.checklist.plan import Plan
from gladwire.core.case.checklist.step import Entry, Judged, Step, Verdict, judged
from gladwire.core.case.checklist.steps import answer_of, step_of
from gladwire.core.diagnosis.answers import NOT_SO, OPEN, danger_of, weight, words
from gladwire.core.diagnosis.cause import Cause
from gladwire.core.diagnosis.causes import CAUSES
from gladwire.core.diagnosis.evidence import Observed, observed
from gladwire.core.diagnosis.next_test import ENOUGH, LITTLE, Proposal, Worth, calls_for, forbidden, moot, proposals
from gladwire.core.diagnosis.ranking import Weighed
from gladwire.core.diagnosis.situation import HERE, Situation
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.diagnosis.tests import Act, Test
from gladwire.core.findings import Finding
from gladwire.core.rulebook import danger

StepState = Literal["done", "now", "later", "waits", "not_needed"]
# Looking before probing, dead before live.
_TIER: Mapping[Act, int] = {"look": 0, "dead": 1, "probe": 2, "energise": 2}
# Read before anything is touched, and after everything is.
_FIRST, _LAST = "codes", "codes_after"
_LIVE: frozenset[Act] = frozenset({"probe", "energise"})


@dataclass(frozen=True)
class Known:
    """What a case knows beside what was entered on its checklist. seen: what its newest captures show; findings: theirs, in
    order. captured: by key of a step, what a capture says of it. answers: results noted elsewhere, and of the record."""

    seen: Observed = field(default_factory=Observed)
    findings: tuple[Finding, ...] = ()
    captured: Mapping[str, Judged] = field(default_factory=dict)
    answers: tuple[Answer, ...] = ()
    situation: Situation = HERE

    def with_answers(self, answers: Sequence[Answer], complaint: frozenset[str], ac: bool) -> Observed:
        """All of it as the judge sees it; a complaint counts until something was captured."""
        told = observed((), None, (*self.seen.answers, *self.answers, *answers)).answers
        if self.seen.heard:
            return replace(self.seen, answers=told)
        return replace(self.seen, answers=told, complaint=complaint, ac=ac)


class Place(NamedTuple):
    """A step in its place. why: what it waits for, or why it is not needed; judged: what its entry says; proposal: what it is
    worth, of a step that is open."""

    step: Step
    state: StepState
    why: str
    judged: Judged | None
    proposal: Proposal | None = None


class Walk(NamedTuple):
    """places: done, now, what comes by its worth, then what waits or is not needed. hurts: what can hurt, in words. ranked:
    the causes in the light of it all. decided: the one that is sure enough to mend, once its own test confirms it."""

    places: tuple[Place, ...]
    hurts: str
    ranked: tuple[Weighed, ...]
    decided: Weighed | None

    @property
    def now(self) -> Place | None:
        return next((p for p in self.places if p.state == "now"), None)

    @property
    def minutes(self) -> int:
        """Of what is left to do."""
        return sum(p.proposal.minutes for p in self.places if p.state in ("now", "later") and p.proposal)


def walk(plan: Plan, entries: Mapping[str, Entry], known: Known | None = None) -> Walk:
    """The plan in the light of what was entered and captured. A step the judge wants beyond the plan is added; entries of
    steps outside the plan count all the same."""
    known = known or Known()
    given = {key: entry for key, entry in entries.items() if key in TESTS}
    answers = tuple(answer_of(key, entry) for key, entry in given.items())
    seen = known.with_answers(answers, plan.complaint, plan.ac)
    worth = Worth(seen, known.situation)
    ranked = worth.ranked
    found = danger(known.findings)
    hurts = danger_of(seen.answers) or (found.text if found else "")
    sure = _is_sure(ranked)
    wanted = proposals(seen, known.findings, known.situation, most=1) if sure or known.seen.heard else ()
    keys = list(dict.fromkeys((*plan.steps, *(p.key for p in wanted))))
    done = {key: judged(step_of(key), given[key]) for key in given} | _answered(seen, given) | dict(known.captured)
    held = forbidden(known.findings, seen.answers)
    open_, rest = list[str](), list[Place]()
    for key in keys:
        test = TESTS[key]
        if key in done:
            continue
        waits = moot(test, seen.answers) or (_HELD if held and test.act in _LIVE else "")
        needed = calls_for(test, seen.answers) if test.only_if and test.only_if[0] in keys else True
        if needed is False:
            rest.append(Place(step_of(key), "not_needed", _not_called_for(test), None))
        elif waits:
            rest.append(Place(step_of(key), "waits", waits, None))
        else:
            open_.append(key)
    # Where practice's own steps tell next to nothing more, what the judge wants comes first.
    tells = any(worth.bits(TESTS[key]) >= LITTLE for key in open_ if key in plan.steps and not TESTS[key].by_stage)
    confirms = wanted[0].key if wanted and (sure or not tells) else ""
    begins = plan.steps[0] if plan.steps[0] == _FIRST else ""
    ordered = _in_order(open_, begins, done, worth, confirms, seen.answers)
    first = [Place(step_of(k), "done", "", done[k]) for k in dict.fromkeys((*keys, *done)) if k in done]
    decided = ranked[0] if sure and _confirmed(ranked[0].cause, seen) else None
    return Walk((*first, *_places(ordered, worth, decided is not None), *rest), hurts, ranked, decided)


_VERDICTS: Mapping[str, Verdict] = {NOT_SO: "good", OPEN: "unclear"}
_HELD = "First make it safe: until then nothing is plugged in, tried again or probed live."


def _is_sure(ranked: Sequence[Weighed]) -> bool:
    return bool(ranked) and ranked[0].share >= ENOUGH


def _confirmed(cause: Cause, seen: Observed) -> bool:
    """Whether its own test was done and speaks for it."""
    test = TESTS[cause.test]
    return any(a.test == test.key and weight(test, a.result, cause, seen.ac) > 0 for a in seen.answers)


def _answered(seen: Observed, given: Mapping[str, Entry]) -> dict[str, Judged]:
    """What was noted of a test elsewhere than on the checklist."""
    found = {}
    for answer in seen.answers:
        if answer.test not in given:
            own = next((c for c in CAUSES if c.test == answer.test), None)
            said = words(TESTS[answer.test], answer.result, own) or "It could not be told."
            verdict = _VERDICTS.get(answer.result, "bad")
            found[answer.test] = Judged(verdict, f"{said} {answer.text}".strip(), answer.result)
    return found


def _not_called_for(test: Test) -> str:
    return f"Not called for by “{step_of(test.only_if[0]).title}”." if test.only_if else ""


def _in_order(
    keys: Sequence[str],
    first: str,
    done: Mapping[str, Judged],
    worth: Worth,
    confirms: str,
    answers: Sequence[Answer],
) -> list[str]:
    """Codes first and last; what confirms a sure cause, and what another result calls for to make safe; looking, dead and
    live in this order, each by what it tells a minute; what tells next to nothing, and what waits for another's result, after
    all that."""

    def rank(key: str) -> tuple[object, ...]:
        test = TESTS[key]
        called = test.only_if is not None and not test.tells and calls_for(test, answers) is True
        undecided = calls_for(test, answers) is None and test.only_if is not None and test.only_if[0] not in done
        behind = undecided or any(k in keys for k in test.after)
        little = bool(worth.ranked) and key not in (first, confirms) and worth.bits(test) < LITTLE
        return (
            key == _LAST,
            key != first,
            key != confirms,
            not called,
            behind,
            little,
            _TIER[test.act],
            -round(worth.a_minute(test), 6),
            keys.index(key),
        )

    return sorted(keys, key=rank)


def _places(keys: Sequence[str], worth: Worth, decided: bool) -> Iterator[Place]:
    for number, key in enumerate(keys):
        now = number == 0 and not decided
        yield Place(step_of(key), "now" if now else "later", "", None, worth.proposal(TESTS[key], results=now))


def next_words(found: Walk) -> str:
    """What the case waits for, in one sentence."""
    if found.hurts:
        return found.hurts
    if found.decided:
        return f"{found.decided.cause.title}: {found.decided.cause.repair} Then prove every reported mode."
    now = found.now
    if now is None:
        return "The checklist is through: prove every reported mode."
    return f"{now.step.title}: {now.step.test.do}"
