"""The test to do next: what it is expected to tell of who owns it and what it is, for each minute it costs, weighted by what
can go wrong. What a known danger forbids is never proposed.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

from pydantic import BaseModel, ConfigDict

from gladwire.core.diagnosis.answers import base, chance, words
from gladwire.core.diagnosis.cause import Cause, Owner
from gladwire.core.diagnosis.ranking import Weighed
from gladwire.core.diagnosis.tests import TESTS, Act, Test
from gladwire.core.findings import Finding
from gladwire.core.information import entropy_bits
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
_SHOWN = 3
# A cause less likely than this is not tested for; a test that tells less than this is not done for what it tells.
_WORTH_TESTING, _CONSIDERED, _LITTLE = 0.12, 4, 0.05
_RESULTS: tuple[Literal["so", "not_so"], ...] = ("so", "not_so")
# A leading owner and cause as sure as this are acted upon; only the proof is left.
ENOUGH = 0.9


class Result(BaseModel):
    """One result of a test. key: so | not_so. words: what it is. leads, owner, share: the cause that would lead then."""

    model_config = ConfigDict(frozen=True)

    key: str
    words: str
    leads: str
    owner: Owner
    share: float


class Proposal(BaseModel):
    """A test worth doing. bits: expected of it about owner and cause. why: what it tells apart, in words."""

    model_config = ConfigDict(frozen=True)

    key: str
    do: str
    minutes: int
    caution: str
    bits: float
    why: str
    results: tuple[Result, ...]


def forbidden(findings: Sequence[Finding]) -> bool:
    """Whether something found forbids to probe a live pilot, or to try again."""
    return danger(findings) is not None or any(
        f.code in _UNTIL_SAFE and f.severity in ("suspect", "fault") for f in findings
    )


def proposals(
    ranked: Sequence[Weighed], findings: Sequence[Finding], ac: bool, answered: frozenset[str] = frozenset()
) -> tuple[Proposal, ...]:
    """The tests worth most, best first; empty where no cause is told. ac: whether the lead can be swapped."""
    if not ranked:
        return ()
    held = forbidden(findings)
    likely = [w for w in ranked[:_CONSIDERED] if w.share >= _WORTH_TESTING and not w.cause.quiet]
    worth = {w.cause.test for w in (ranked[0], *likely)}
    kept = []
    for test in TESTS:
        if test.key in answered or (held and test.act in _FORBIDDEN) or (test.key == "swap_lead" and not ac):
            continue
        if not test.owners and test.key not in worth:
            continue
        chances = [chance(test, w.cause, ac) for w in ranked]
        bits = _bits(ranked, chances)
        kept.append((bits / ((test.minutes + _BEGINS_MIN) * _RISK[test.act]), bits, test, chances))
    kept.sort(key=lambda found: (-found[0], found[2].key))
    # Where little is left to learn, what is left is to see the cause, and to prove its repair.
    if kept and (ranked[0].share >= ENOUGH or kept[0][1] < _LITTLE):
        kept.sort(key=lambda found: found[2].key != ranked[0].cause.test)
    return tuple(_proposed(test, bits, ranked, chances) for _, bits, test, chances in kept[:_SHOWN])


def _bits(ranked: Sequence[Weighed], chances: Sequence[float]) -> float:
    """Expected information about the owner, and for less about the cause, among what is listed."""
    total = sum(w.share for w in ranked)
    shares = [w.share / total for w in ranked]

    def told(kinds: Sequence[object]) -> float:
        found = entropy_bits(_summed(shares, kinds))
        for so in (True, False):
            joint = [s * (p if so else 1 - p) for s, p in zip(shares, chances, strict=True)]
            if (of := sum(joint)) > 0:
                found -= of * entropy_bits([part / of for part in _summed(joint, kinds)])
        return max(0.0, found)

    return told([w.cause.owner for w in ranked]) + _WORTH_OF_CAUSE * told([w.cause.code for w in ranked])


def _summed(shares: Sequence[float], kinds: Sequence[object]) -> list[float]:
    found: dict[object, float] = {}
    for share, kind in zip(shares, kinds, strict=True):
        found[kind] = found.get(kind, 0.0) + share
    return list(found.values())


class _After(NamedTuple):
    cause: Cause
    share: float


def _after(test: Test, ranked: Sequence[Weighed], chances: Sequence[float], so: bool) -> _After:
    rest = max(0.0, 1.0 - sum(w.share for w in ranked))
    joint = [w.share * (p if so else 1 - p) for w, p in zip(ranked, chances, strict=True)]
    best = max(range(len(joint)), key=joint.__getitem__)
    open_ = rest * (base(test) if so else 1.0 - base(test))
    return _After(ranked[best].cause, joint[best] / (sum(joint) + open_))


def _proposed(test: Test, bits: float, ranked: Sequence[Weighed], chances: Sequence[float]) -> Proposal:
    own = next((w.cause for w in ranked if w.cause.test == test.key), None)
    results = []
    for key in _RESULTS:
        after = _after(test, ranked, chances, key == "so")
        results.append(
            Result(
                key=key,
                words=words(test, key, own),
                leads=after.cause.title,
                owner=after.cause.owner,
                share=round(after.share, 3),
            )
        )
    return Proposal(
        key=test.key,
        do=test.do,
        minutes=test.minutes,
        caution=test.caution,
        bits=round(bits, 3),
        why=_why(test, own),
        results=tuple(results),
    )


def _why(test: Test, own: Cause | None) -> str:
    if test.owners:
        return "It tells whose fault it is before anything is opened."
    return f"It tells “{own.title}” from the others." if own else ""
