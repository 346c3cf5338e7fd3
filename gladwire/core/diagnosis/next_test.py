"""The test to do next: what it is expected to tell of who owns it and what it is, for each minute it costs, weighted by what
can go wrong. What a known danger forbids is never proposed.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from gladwire.core.answers import Answer
from gladwire.core.diagnosis.answers import NOT_SO, OPEN, chances, danger_of, outcomes, words
from gladwire.core.diagnosis.cause import Cause, Owner
from gladwire.core.diagnosis.causes import stage_of
from gladwire.core.diagnosis.evidence import Observed, asked_already
from gladwire.core.diagnosis.ranking import Weighed, weighed
from gladwire.core.diagnosis.situation import HERE, Situation
from gladwire.core.diagnosis.tests import BY_KEY, TESTS, TOOLS, Act, Test
from gladwire.core.findings import Finding
from gladwire.core.rulebook import danger

# How much of the worth of a bit about the owner one about the cause itself has.
_WORTH_OF_CAUSE = 0.5
# Looking before probing, dead before live: minutes are weighted by what can go wrong.
_RISK: Mapping[Act, float] = {"look": 1.0, "dead": 1.3, "probe": 1.5, "energise": 1.4}
# Finding the place and the instrument costs this in any case.
_BEGINS_MIN = 1.0
# What a standing danger forbids, and contacts or insulation that can hurt: no live pilot, no further try.
_FORBIDDEN: frozenset[Act] = frozenset({"probe", "energise"})
_UNTIL_SAFE = ("contact_burnt", "contact_wet", "insulation_status")
SHOWN = 3
# A cause less likely than this is not tested for; a test that tells less than this is not done for what it tells.
_WORTH_TESTING, _CONSIDERED, LITTLE = 0.12, 4, 0.05
# Where all that is listed has less of it than this, what was captured does not show what is wrong.
_EXPLAINED = 0.5
# A capture shows the stage at which a fault stops so often.
_SHOWS = 0.85
# A leading owner and cause as sure as this are acted upon; only the proof is left.
ENOUGH = 0.9
_NOT_SHOWN = "What was captured does not show what is wrong: nothing listed is likely. "


class Result(BaseModel):
    """One result of a test. key: one of its outcomes. words: what it is. leads, owner, share: the cause that would lead
    then."""

    model_config = ConfigDict(frozen=True)

    key: str
    words: str
    leads: str
    owner: Owner
    share: float


class Proposal(BaseModel):
    """A test worth doing. minutes: from where one is, with what is at hand. bits: expected of it about owner and cause; part:
    of all that is open, 0 to 1. why: what it tells apart, in words. missing: tools it takes and nobody has with them, in
    words."""

    model_config = ConfigDict(frozen=True)

    key: str
    do: str
    minutes: int
    caution: str
    bits: float
    part: float = 0.0
    why: str
    results: tuple[Result, ...]
    missing: tuple[str, ...] = ()


def forbidden(findings: Sequence[Finding], answers: Sequence[Answer] = ()) -> bool:
    """Whether something found forbids to probe a live pilot, or to try again."""
    return (
        danger(findings) is not None
        or bool(danger_of(answers))
        or any(f.code in _UNTIL_SAFE and f.severity in ("suspect", "fault") for f in findings)
    )


def calls_for(test: Test, answers: Sequence[Answer]) -> bool | None:
    """Whether what is known calls for a test; None while the test that decides is open."""
    if test.only_if is None:
        return True
    key, wanted = test.only_if
    result = _last(answers).get(key)
    if result is None:
        return None
    return (result != NOT_SO if wanted == "so" else result == NOT_SO) and result != OPEN


def moot(test: Test, answers: Sequence[Answer]) -> str:
    """Why a test waits until something is mended; "" where it need not."""
    last = _last(answers)
    return next((why for key, why in test.unless.items() if last.get(key, NOT_SO) not in (NOT_SO, OPEN)), "")


def _last(answers: Sequence[Answer]) -> dict[str, str]:
    return {a.test: a.result for a in answers}


@dataclass(frozen=True)
class Worth:
    """What tests are worth in the light of what was observed."""

    seen: Observed
    situation: Situation = HERE

    @cached_property
    def ranked(self) -> tuple[Weighed, ...]:
        """The causes that are considered, the likeliest first."""
        return weighed(self.seen)

    @property
    def is_unexplained(self) -> bool:
        """Whether something captured is suspect, and nothing listed is likely."""
        heard = bool(self.seen.heard) and not self.seen.is_quiet
        return heard and sum(w.share for w in self.ranked) < _EXPLAINED

    def bits(self, test: Test) -> float:
        """Expected information about the owner, and for less about the cause, among what is listed."""
        if test.key not in self._kept:
            self._kept[test.key] = self._bits(test) if self.ranked else 0.0
        return self._kept[test.key]

    def _bits(self, test: Test) -> float:
        joint = self._shares[:, None] * np.array(self._vectors(test))
        return self._told(self._owners @ joint) + _WORTH_OF_CAUSE * self._told(joint)

    @staticmethod
    def _told(joint: NDArray[np.float64]) -> float:
        """Shannon's mutual information of kinds (rows) and outcomes (columns)."""
        kinds = joint.sum(axis=1, keepdims=True)
        return max(0.0, float(_entropy(kinds)[0] - _entropy(joint).sum()))

    def a_minute(self, test: Test) -> float:
        return self.bits(test) / ((self.situation.minutes(test) + _BEGINS_MIN) * _RISK[test.act])

    def speaks(self, test: Test) -> bool:
        """Whether it tells parties apart, or speaks of a cause that is likely enough."""
        return bool(test.owners) or test.key in self._own or bool(test.tells & {w.cause.code for w in self._likely})

    def proposal(self, test: Test, results: bool = True) -> Proposal:
        """results: whether to say what each would mean; a capture says it by itself."""
        own = next((w.cause for w in self.ranked if w.cause.test == test.key), None)
        return Proposal(
            key=test.key,
            do=test.do,
            minutes=self.situation.minutes(test),
            caution=test.caution,
            bits=round(self.bits(test), 3),
            part=round(self.bits(test) / self._open, 3) if self._open else 0.0,
            why=self._why(test, own),
            results=self._results(test, own) if results and self.ranked and not test.by_stage else (),
            missing=tuple(TOOLS[tool] for tool in self.situation.missing(test)),
        )

    @cached_property
    def _open(self) -> float:
        """All that is not known of owner and cause, counted as bits are."""
        if not self.ranked:
            return 0.0
        owners = _entropy((self._owners @ self._shares)[:, None])[0]
        return float(owners + _WORTH_OF_CAUSE * _entropy(self._shares[:, None])[0])

    @cached_property
    def _kept(self) -> dict[str, float]:
        return {}

    @cached_property
    def _shares(self) -> NDArray[np.float64]:
        shares = np.array([w.share for w in self.ranked])
        summed: NDArray[np.float64] = shares / shares.sum()
        return summed

    @cached_property
    def _owners(self) -> NDArray[np.float64]:
        """Which cause (column) is whose (row)."""
        owners = list(dict.fromkeys(w.cause.owner for w in self.ranked))
        return np.array([[float(w.cause.owner == owner) for w in self.ranked] for owner in owners])

    @cached_property
    def _likely(self) -> list[Weighed]:
        likely = [w for w in self.ranked[:_CONSIDERED] if w.share >= _WORTH_TESTING and not w.cause.quiet]
        return [*self.ranked[:1], *likely]

    @cached_property
    def _own(self) -> set[str]:
        return {w.cause.test for w in self._likely}

    def _vectors(self, test: Test) -> list[tuple[float, ...]]:
        if not test.by_stage:
            return [chances(test, w.cause, self.seen.ac) for w in self.ranked]
        stages = list(dict.fromkeys(stage_of(w.cause) for w in self.ranked))
        among = max(1, len(stages) - 1)
        return [
            tuple(_SHOWS if s == stage_of(w.cause) else (1.0 - _SHOWS) / among for s in stages) for w in self.ranked
        ]

    def _results(self, test: Test, own: Cause | None) -> tuple[Result, ...]:
        """Each outcome with what the judge would then say."""
        found = []
        for key in outcomes(test):
            answers = tuple(a for a in self.seen.answers if a.test != test.key)
            then = weighed(self.seen.answered((*answers, Answer(test=test.key, result=key))))[0]
            found.append(
                Result(
                    key=key,
                    words=words(test, key, own),
                    leads=then.cause.title,
                    owner=then.cause.owner,
                    share=round(then.share, 3),
                )
            )
        return tuple(found)

    def _why(self, test: Test, own: Cause | None) -> str:
        if test.owners:
            return "It tells whose fault it is before anything is opened."
        if test.by_stage:
            return f"{_NOT_SHOWN if self.is_unexplained else ''}It shows the stage at which it stops."
        if own:
            return f"It tells “{own.title}” from the others."
        of = [w.cause.title for w in self.ranked if w.cause.code in test.tells][:2]
        return f"It speaks of {' and '.join(f'“{title}”' for title in of)}." if of else ""


def proposals(
    seen: Observed, findings: Sequence[Finding], situation: Situation = HERE, most: int = SHOWN
) -> tuple[Proposal, ...]:
    """The tests worth most, best first; empty where no cause is told."""
    worth = Worth(seen, situation)
    ranked, answers = worth.ranked, seen.answers
    if not ranked:
        return ()
    held = forbidden(findings, answers)
    kept = []
    for test in TESTS:
        if asked_already(test.key, answers) or test.by_stage or (held and test.act in _FORBIDDEN):
            continue
        if (test.own_lead and not seen.ac) or not calls_for(test, answers) or moot(test, answers):
            continue
        if worth.speaks(test):
            kept.append((worth.a_minute(test), worth.bits(test), test))
    kept.sort(key=lambda found: (-found[0], found[2].key))
    # Where little is left to learn, what is left is to see the cause, and to prove its repair.
    if kept and (ranked[0].share >= ENOUGH or kept[0][1] < LITTLE):
        kept.sort(key=lambda found: found[2].key != ranked[0].cause.test)
    found = [test for _, _, test in kept]
    capture = BY_KEY["plug_in" if seen.ac else "dc_frames"]
    if worth.is_unexplained and not held and not asked_already(capture.key, answers):
        found.insert(0, capture)
    return tuple(worth.proposal(test) for test in found[:most])


def _entropy(shares: NDArray[np.float64]) -> NDArray[np.float64]:
    """Bits of each column of weights, by what they sum to, weighted with that sum."""
    of = shares.sum(axis=0)
    with np.errstate(divide="ignore", invalid="ignore"):
        parts = np.where(shares > 0, shares * np.log2(shares / of), 0.0)
    found: NDArray[np.float64] = -parts.sum(axis=0)
    return found
