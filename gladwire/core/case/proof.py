"""What is proven of a repair: stage by stage against the session before, and mode by mode for the whole case.

Faults come in pairs: a stage that passes now says nothing of the ones behind it (common practice, no source).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple, Protocol

from gladwire.core.stage import StageState


class Stands(Protocol):
    """A stage as a judgement tells it."""

    @property
    def stage(self) -> str: ...
    @property
    def title(self) -> str: ...
    @property
    def state(self) -> StageState: ...


class Stood(NamedTuple):
    """A stage as a list keeps it."""

    stage: str
    title: str
    state: StageState


class Mode(NamedTuple):
    """A way of charging that can be reported as failing, and has to be proven by itself."""

    key: str
    title: str


MODES: tuple[Mode, ...] = (
    Mode("mode2", "Portable lead on a household or industrial socket (Mode 2)"),
    Mode("mode3_socket", "Post with socket and own lead (Mode 3)"),
    Mode("mode3_tethered", "Post with tethered lead (Mode 3)"),
    Mode("dc", "DC post (Mode 4)"),
)
BY_KEY = {mode.key: mode for mode in MODES}

# What has to be seen working before anybody says "mended".
_TO_PROVE = ("request", "energise", "draw", "hold", "parameters", "insulation", "precharge", "ramp")


def since_before(before: Sequence[Stands], after: Sequence[Stands]) -> str:
    """What changed from one session to the next, and what that leaves open; "" where nothing failed before."""
    failed = [s for s in before if s.state == "failed"]
    if not failed:
        return ""
    now = {s.stage: s for s in after}
    mended = [s.title for s in failed if now.get(s.stage) and now[s.stage].state == "proven"]
    still = [s.title for s in failed if now.get(s.stage) and now[s.stage].state == "failed"]
    new = [s.title for s in after if s.state == "failed" and s.stage not in {f.stage for f in failed}]
    open_ = [s.title for s in after if s.stage in _TO_PROVE and s.state in ("not_captured", "not_reached")]
    judgement = []
    if still:
        judgement.append(f"{_and(still)} still {_fails(still)}.")
    seen = {s.stage: s.state for s in before}
    for states, why in (
        (("not_reached",), "not reached before: a second fault stood behind the first"),
        (("proven",), "proven before: new, or it comes and goes"),
    ):
        titles = [s.title for s in after if s.title in new and seen.get(s.stage) in states]
        if titles:
            judgement.append(f"{_and(titles)} {_fails(titles)} now, {why}.")
    unseen = [
        s.title for s in after if s.title in new and seen.get(s.stage, "not_captured") not in ("not_reached", "proven")
    ]
    if unseen:
        judgement.append(f"{_and(unseen)} {_fails(unseen)} now; whether it did before was not captured.")
    if mended:
        judgement.append(f"{_and(mended)}, failed in the session before, {_are(mended)} proven now.")
    if mended and open_ and not still and not new:
        judgement.append(f"{_and(open_)} {_are(open_)} still unproven: not yet mended.")
    if not judgement:
        shown = [s.title for s in failed]
        judgement.append(f"{_and(shown)}, failed in the session before, {_are(shown)} not shown here.")
    return " ".join(judgement)


class Tried(NamedTuple):
    """One plug-in of a case: the mode it was tried in ("" not said), its outcome, its stages, whether a repair came
    after it, and whether something it tells can hurt. parts: what is known to have taken part, by what tells two
    apart; repairs: how many were noted before it. others: captured for a test with others than the case is about, so it
    says nothing of how those fare."""

    mode: str
    title: str
    outcome: str
    stages: Sequence[Stands]
    repaired_since: bool
    danger: bool = False
    parts: Mapping[str, str] = {}
    repairs: int = 0
    others: bool = False


class ModeProof(NamedTuple):
    """mode: its title. state: proven, failing or unproven; text: why, and what is missing."""

    mode: str
    state: Literal["proven", "failing", "unproven"]
    text: str


def proofs(reported: Sequence[str], tried: Sequence[Tried]) -> tuple[ModeProof, ...]:
    """One proof for each reported mode, from its newest session, and for every other that was tried and fails now. Raises
    KeyError for a mode that does not exist."""
    tried = [t for t in tried if not t.others]
    newest = {t.mode: t for t in tried if t.mode}
    others = [mode for mode, t in newest.items() if t.outcome in _FAILED and mode not in reported]
    return tuple(_proof_of(key, tried) for key in (*reported, *others))


def _proof_of(key: str, tried: Sequence[Tried]) -> ModeProof:
    own = [n for n, t in enumerate(tried) if t.mode == key]
    found = _proof(BY_KEY[key], [tried[n] for n in own])
    if found.state != "proven":
        return found
    fell_short = [tried[n] for n in own[:-1] if tried[n].outcome in FELL_SHORT]
    other = swapped(fell_short[-1], tried[own[-1]]) if fell_short else ()
    if other:
        told = f"“{tried[own[-1]].title}” charged with another {_and(other)} than “{fell_short[-1].title}” had."
        return ModeProof(found.mode, "unproven", f"{told} That shows whose it is, and mends nothing.")
    # What failed since in a mode nobody said may have failed in this one.
    doubt = [t for t in tried[own[-1] + 1 :] if not t.mode and t.outcome in _FAILED]
    if not doubt:
        return found
    told = f"“{doubt[-1].title}” failed since, in a mode nobody said: say it there, or capture it again."
    return ModeProof(found.mode, "unproven", told)


# What a repair may have put in the place of another; vehicle and post are what a complaint is about.
_MAY_BE_NEW = ("lead", "adapter", "controller")


def swapped(before: Tried, after: Tried) -> tuple[str, ...]:
    """Parts that are known to be others, so that one does not prove what failed with the other. A new lead, adapter or
    controller is the repair itself where one was noted between the two; a newer software version is always one."""
    mended = after.repairs > before.repairs
    parts = ("vehicle", "post", *(() if mended else _MAY_BE_NEW))
    return tuple(p for p in parts if before.parts.get(p) and after.parts.get(p) and before.parts[p] != after.parts[p])


def like_with_like(before: Tried, after: Tried) -> bool:
    """Whether one may take back what was told of the other: nothing that took part is known to be another."""
    return before.others == after.others and not swapped(before, after)


_FAILED = ("failed_to_start", "dropped_out")
FELL_SHORT = (*_FAILED, "derated")


def before_and_after(tried: Sequence[Tried]) -> dict[str, tuple[int, int]]:
    """By mode, places of the newest session and of the last one before it that fell short: what a repair is seen by. Sessions
    of which nobody said the mode, and modes that were tried once or fell short in none before, are left out."""
    found: dict[str, tuple[int, int]] = {}
    for mode in dict.fromkeys(t.mode for t in tried if t.mode and not t.others):
        of_mode = [n for n, t in enumerate(tried) if t.mode == mode and not t.others]
        before = [n for n in of_mode[:-1] if tried[n].outcome in FELL_SHORT]
        if before:
            found[mode] = before[-1], of_mode[-1]
    return found


def _proof(mode: Mode, tried: Sequence[Tried]) -> ModeProof:
    if not tried:
        return ModeProof(mode.title, "unproven", "Reported, and not tried in any session here.")
    newest = tried[-1]
    if newest.outcome in _FAILED:
        return ModeProof(mode.title, "failing", f"“{newest.title}” {newest.outcome.replace('_', ' ')}.")
    if newest.repaired_since:
        return ModeProof(mode.title, "unproven", f"A repair came after “{newest.title}”: try it again.")
    if newest.danger:
        return ModeProof(mode.title, "failing", f"What “{newest.title}” tells can hurt: it proves nothing.")
    failed = [s.title for s in newest.stages if s.state == "failed"]
    if newest.outcome == "charged" and failed:
        return ModeProof(mode.title, "unproven", f"“{newest.title}” charged, and {_and(failed)} failed.")
    if newest.outcome == "charged":
        return ModeProof(mode.title, "proven", f"“{newest.title}” charged and ended in order.")
    open_ = [s.title for s in newest.stages if s.stage in _TO_PROVE and s.state != "proven"]
    if newest.outcome == "derated":
        return ModeProof(mode.title, "unproven", f"“{newest.title}” charged with less than it should.")
    return ModeProof(mode.title, "unproven", f"“{newest.title}” does not show {_and(open_)}.")


def _and(titles: Sequence[str]) -> str:
    return titles[0] if len(titles) == 1 else f"{', '.join(titles[:-1])} and {titles[-1]}" if titles else "the end"


def _fails(titles: Sequence[str]) -> str:
    return "fails" if len(titles) == 1 else "fail"


def _are(titles: Sequence[str]) -> str:
    return "is" if len(titles) == 1 else "are"
