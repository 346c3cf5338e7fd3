"""The ranking's sums: shares, room for what nobody listed, how many are shown, evidence in order, each once."""

from __future__ import annotations

import math

import pytest

from gladwire.core.diagnosis.causes import CAUSES
from gladwire.core.diagnosis.ranking import rank
from gladwire.core.findings import Finding, Severity

BY_CODE = {cause.code: cause for cause in CAUSES}
WELDED = BY_CODE["contactor_welded"]


def finding(code: str, severity: Severity = "fault", start_s: float = 0.0, text: str = "") -> Finding:
    return Finding(
        code=code, severity=severity, stage="pilot", text=text or code, start_s=start_s, end_s=start_s + 1, measured="",
        expected="", source="test", from_memory=False,
    )  # fmt: skip


def expected_shares(found: list[Finding]) -> dict[str, float]:
    """Written out anew: softmax of summed weights beside a constant for what nobody listed."""
    loud = {"normal": 1.0, "note": 0.8, "suspect": 0.9, "fault": 1.0}
    codes: dict[str, float] = {}
    for f in found:
        codes[f.code] = max(codes.get(f.code, 0.0), loud[f.severity])
    weights = {}
    for cause in CAUSES:
        speaks = sum(w * codes[c] for c, w in cause.speaks_for.items() if c in codes)
        if speaks:
            against = sum(w * codes[c] for c, w in cause.speaks_against.items() if c in codes)
            weights[cause.code] = math.exp(speaks - against) * cause.prior
    total = sum(weights.values()) + math.exp(0.8)
    return {code: weight / total for code, weight in weights.items()}


SCENES: list[list[Finding]] = [
    [finding("mains_without_request")],
    [finding("mains_without_request", "note")],
    [finding("pilot_interrupted"), finding("plug_touched", "note"), finding("offer", "normal")],
    [finding("series_resistance", "suspect"), finding("slow_edges", "suspect"), finding("pilot_level_thin_margin", "suspect"),
     finding("source_level_out", "suspect"), finding("frequency_out", "suspect"), finding("hunting")],
]  # fmt: skip


@pytest.mark.parametrize("found", SCENES, ids=range(len(SCENES)))
def test_shares_are_the_softmax_with_room_left(found: list[Finding]) -> None:
    ranked, shares = rank(found), expected_shares(found)
    assert [c.confidence for c in ranked] == [round(shares[c.code], 3) for c in ranked]
    listed = sorted((s for s in shares.values() if s >= 0.04), reverse=True)
    assert [c.confidence for c in ranked] == [round(s, 3) for s in listed[:4]]
    assert len(ranked) <= 4
    assert sum(c.confidence for c in ranked) < 1.0


def test_nothing_found_ranks_nothing() -> None:
    assert rank([]) == ()
    assert rank([finding("no_such_code")]) == ()


def test_a_code_counts_once_at_its_gravest() -> None:
    once = rank([finding("mains_without_request")])
    often = rank([finding("mains_without_request", "note", at) for at in range(3)] + [finding("mains_without_request")])
    assert [c.confidence for c in once] == [c.confidence for c in often]


def test_evidence_is_each_finding_once_in_order_and_no_more_than_four() -> None:
    same = finding("pilot_interrupted", start_s=2.0)
    found = [same, same, *(finding("pilot_interrupted", start_s=float(n), text=f"at {n}") for n in range(3, 9))]
    cause = rank(found)[0]
    assert [e.start_s for e in cause.evidence] == [2.0, 3.0, 4.0, 5.0]
    assert all(e.end_s == e.start_s + 1 for e in cause.evidence)


def test_what_speaks_against_is_shown_as_against_and_lowers() -> None:
    cause = next(c for c in CAUSES if c.speaks_against and len(c.speaks_for) >= 1)
    speaking, contrary = next(iter(cause.speaks_for)), next(iter(cause.speaks_against))
    alone = {c.code: c for c in rank([finding(speaking)])}
    both = {c.code: c for c in rank([finding(speaking), finding(contrary)])}
    if cause.code in alone and cause.code in both:
        assert both[cause.code].confidence <= alone[cause.code].confidence
        assert [e.code for e in both[cause.code].against] == [contrary]
    assert (
        expected_shares([finding(speaking), finding(contrary)])[cause.code]
        < expected_shares([finding(speaking)])[cause.code]
    )


def test_a_ranked_cause_carries_its_test_and_what_would_change_its_mind() -> None:
    ranked = rank([finding("mains_without_request")])[0]
    assert (ranked.code, ranked.owner) == (WELDED.code, WELDED.owner)
    assert (ranked.if_so, ranked.if_not, ranked.proof) == (WELDED.if_so, WELDED.if_not, WELDED.proof)
    assert ranked.next_test
    assert ranked.minutes > 0
