"""Rank the causes by the findings for and against each. Weights are common practice, no source."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from gladwire.core.diagnosis.cause import Cause, Evidence, Owner, OwnerShare, RankedCause
from gladwire.core.diagnosis.causes import CAUSES
from gladwire.core.diagnosis.evidence import heard, weight
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.findings import Finding

# A cause nobody has listed always keeps a share.
_UNLISTED = math.exp(0.8)
_SHOWN = 4
_LEAST_SHARE = 0.04
# Under the first, or with the next within the second of it, the leading cause decides nothing.
_DECIDES, _LEADS = 0.5, 1.6


def rank(findings: Sequence[Finding]) -> tuple[RankedCause, ...]:
    """The likeliest causes, best first; empty when no finding speaks for any.

    Log-weights add up, each fact once, then become shares that leave room for a cause nobody has listed.
    """
    kept = [(share, cause) for share, cause in _shares(findings) if share >= _LEAST_SHARE][:_SHOWN]
    return tuple(_ranked(cause, share, findings) for share, cause in kept)


def owners(findings: Sequence[Finding]) -> tuple[OwnerShare, ...]:
    """What share of the causes each party owns, the largest first; what is left to one is nobody's yet. Empty without
    causes."""
    found: dict[Owner, float] = {}
    for share, cause in _shares(findings):
        found[cause.owner] = found.get(cause.owner, 0.0) + share
    ranked = sorted(found.items(), key=lambda pair: -pair[1])
    return tuple(OwnerShare(owner=owner, share=round(share, 3)) for owner, share in ranked if share >= _LEAST_SHARE)


def rivals(causes: Sequence[RankedCause]) -> tuple[RankedCause, ...]:
    """The two between which it is not decided; empty where one leads far enough to act on it."""
    if len(causes) < 2:
        return ()
    first, second = causes[0].confidence, causes[1].confidence
    return tuple(causes[:2]) if first < _DECIDES or first < _LEADS * second else ()


def _shares(findings: Sequence[Finding]) -> list[tuple[float, Cause]]:
    loud = heard(findings)
    scored = [(cause, _score(cause, loud)) for cause in CAUSES]
    odds = [(cause, math.exp(score)) for cause, score in scored if score is not None]
    total = sum(held for _, held in odds) + _UNLISTED
    return sorted(((held / total, cause) for cause, held in odds), key=lambda pair: -pair[0])


def _score(cause: Cause, loud: Mapping[str, float]) -> float | None:
    speaking = weight(cause.speaks_for, loud)
    if not speaking:
        return None
    return speaking - weight(cause.speaks_against, loud) + math.log(cause.prior)


def _ranked(cause: Cause, share: float, findings: Sequence[Finding]) -> RankedCause:
    def among(codes: Mapping[str, float]) -> tuple[Evidence, ...]:
        found = (
            Evidence(code=f.code, text=f.text, start_s=f.start_s, end_s=f.end_s)
            for f in findings
            if f.code in codes and not f.follows
        )
        return tuple(dict.fromkeys(found))[:4]

    test = TESTS[cause.test]
    return RankedCause(
        code=cause.code,
        title=cause.title,
        owner=cause.owner,
        confidence=round(share, 3),
        evidence=among(cause.speaks_for),
        against=among(cause.speaks_against),
        next_test=test.do,
        minutes=test.minutes,
        if_so=cause.if_so,
        if_not=cause.if_not,
        caution=test.caution,
        proof=cause.proof,
    )
