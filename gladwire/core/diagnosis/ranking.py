"""Rank the causes by the findings for and against each. Weights are common practice, no source."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from gladwire.core.diagnosis.cause import Cause, Evidence, RankedCause
from gladwire.core.diagnosis.causes import CAUSES
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.findings import Finding, Severity

# A mere note speaks more softly than a fault. Normal facts speak fully: they are what rules a cause out.
_LOUDNESS: dict[Severity, float] = {"normal": 1.0, "note": 0.8, "suspect": 0.9, "fault": 1.0}
# A cause nobody has listed always keeps a share.
_UNLISTED = math.exp(0.8)
_SHOWN = 4
_LEAST_SHARE = 0.04


def rank(findings: Sequence[Finding]) -> tuple[RankedCause, ...]:
    """The likeliest causes, best first; empty when no finding speaks for any.

    Log-weights add up per finding code (a code counts once, at its gravest), then become shares that leave room
    for a cause nobody has listed.
    """
    loud: dict[str, float] = {}
    for finding in findings:
        loud[finding.code] = max(loud.get(finding.code, 0.0), _LOUDNESS[finding.severity])
    scored = [(cause, _score(cause, loud)) for cause in CAUSES]
    weights = [(cause, math.exp(score)) for cause, score in scored if score is not None]
    total = sum(weight for _, weight in weights) + _UNLISTED
    shares = sorted(((weight / total, cause) for cause, weight in weights), key=lambda pair: -pair[0])
    kept = [(share, cause) for share, cause in shares if share >= _LEAST_SHARE][:_SHOWN]
    return tuple(_ranked(cause, share, findings) for share, cause in kept)


def _score(cause: Cause, loud: Mapping[str, float]) -> float | None:
    speaking = sum(weight * loud.get(code, 0.0) for code, weight in cause.speaks_for.items())
    if not speaking:
        return None
    contrary = sum(weight * loud.get(code, 0.0) for code, weight in cause.speaks_against.items())
    return speaking - contrary + math.log(cause.prior)


def _ranked(cause: Cause, share: float, findings: Sequence[Finding]) -> RankedCause:
    def among(codes: Mapping[str, float]) -> tuple[Evidence, ...]:
        found = (
            Evidence(code=f.code, text=f.text, start_s=f.start_s, end_s=f.end_s) for f in findings if f.code in codes
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
