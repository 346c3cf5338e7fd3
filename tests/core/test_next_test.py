"""Which test comes next: information for each minute, what a danger forbids, and how an answer moves the shares."""

from __future__ import annotations

import math

import pytest

from gladwire.core.answers import Answer
from gladwire.core.diagnosis.answers import chances
from gladwire.core.diagnosis.causes import BY_CODE as CAUSES
from gladwire.core.diagnosis.evidence import observed
from gladwire.core.diagnosis.next_test import Proposal, forbidden, proposals
from gladwire.core.diagnosis.ranking import weighed
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.findings import Finding
from gladwire.core.rulebook import ALL


def finding(code: str, severity: str = "fault") -> Finding:
    return Finding.model_validate(
        {"code": code, "severity": severity, "stage": "hold", "text": code, "start_s": 0.0, "end_s": 1.0}
    )


def asked(*codes: str, ac: bool = True, answers: tuple[Answer, ...] = ()) -> tuple[Proposal, ...]:
    found = [finding(code) for code in codes]
    return proposals(observed(found, None, answers, ac), found)


def owner_shares(*codes: str, answers: tuple[Answer, ...] = (), ac: bool = True) -> dict[str, float]:
    shares: dict[str, float] = {}
    for w in weighed(observed([finding(c) for c in codes], None, answers, ac)):
        shares[w.cause.owner] = shares.get(w.cause.owner, 0.0) + w.share
    return shares


def test_nothing_told_proposes_nothing() -> None:
    assert asked() == ()


def test_an_open_owner_is_asked_about_before_anything_is_opened() -> None:
    """Whose it is, in two or three minutes of asking, before twelve of trying."""
    first = asked("connection_closed", "vehicle_closed", "services_not_taken", ac=False)[0]
    assert first.key in ("others_here", "elsewhere")


def test_a_sure_cause_is_confirmed_by_its_own_test() -> None:
    assert asked("frequency_out")[0].key == CAUSES["pilot_frequency_off"].test


def test_information_is_what_entropy_says() -> None:
    """Two causes of two parties, told by the test of one: Shannon's mutual information, written out."""
    ranked = weighed(observed([finding("mains_missing")]))
    assert {w.cause.owner for w in ranked} == {"evse", "site"}
    shares = {w.cause.code: w.share / sum(r.share for r in ranked) for w in ranked}
    p = shares["contactor_not_closing"]

    def h(part: float) -> float:
        return -part * math.log2(part) - (1 - part) * math.log2(1 - part)

    so = 0.98 * p + 0.05 * (1 - p)
    expected = h(p) - so * h(0.98 * p / so) - (1 - so) * h(0.02 * p / (1 - so))
    own = next(t for t in asked("mains_missing") if t.key == CAUSES["contactor_not_closing"].test)
    assert own.bits == pytest.approx(1.5 * expected, abs=2e-3)
    assert asked("frequency_out")[0].bits == 0.0


@pytest.mark.parametrize("rule", [r for r in ALL if r.danger], ids=lambda r: r.code)
def test_a_danger_forbids_to_probe_and_to_try_again(rule: object) -> None:
    code = rule.code  # type: ignore[attr-defined]
    assert forbidden([finding(code)])
    assert not forbidden([finding(code, "note")])
    for proposal in asked(code, "pilot_interrupted", "slac_weak", "post_silent"):
        assert TESTS[proposal.key].act in ("look", "dead")


@pytest.mark.parametrize("cause", CAUSES.values(), ids=lambda c: c.code)
def test_no_text_of_a_cause_tells_to_try_again_where_trying_is_dangerous(cause: object) -> None:
    """A cause told by a danger has a test that neither probes a live pilot nor charges, or none is proposed."""
    codes = [
        c for c in cause.speaks_for if c in {r.code for r in ALL if r.danger} | {"insulation_status", "contact_burnt"}
    ]  # type: ignore[attr-defined]
    for code in codes:
        assert all(TESTS[p.key].act in ("look", "dead") for p in asked(code))


@pytest.mark.parametrize(
    ("test", "result", "rises", "ac"),
    [
        ("others_here", "so", "evse", False),
        ("others_here", "not_so", "vehicle", False),
        ("elsewhere", "so", "vehicle", False),
        ("elsewhere", "not_so", "evse", False),
    ],
)
def test_one_car_failing_at_many_posts_is_the_car_and_many_cars_at_one_post_the_post(
    test: str, result: str, rises: str, ac: bool
) -> None:
    """Common practice, no source."""
    codes = ("precharge_not_reached", "vehicle_silent")
    before = owner_shares(*codes, ac=ac)
    after = owner_shares(*codes, ac=ac, answers=(Answer(test=test, result=result),))
    other = "evse" if rises == "vehicle" else "vehicle"
    assert after[rises] / after[other] > 3 * before[rises] / before[other]


def test_an_answer_is_not_asked_again_and_one_that_tells_nothing_moves_nothing() -> None:
    codes = ("connection_closed", "vehicle_closed")
    told = (Answer(test="elsewhere", result="open"),)
    assert owner_shares(*codes, answers=told) == owner_shares(*codes)
    assert "elsewhere" not in [p.key for p in asked(*codes, answers=told)]


def test_the_last_answer_to_a_test_holds() -> None:
    first, last = Answer(test="elsewhere", result="so"), Answer(test="elsewhere", result="not_so")
    assert owner_shares("post_silent", answers=(first, last)) == owner_shares("post_silent", answers=(last,))


def test_a_lead_is_swapped_where_it_is_one_of_its_own() -> None:
    """On DC the cable is the post's: a vehicle that fails there and charges elsewhere says post or cable alike."""
    cable = CAUSES["loose_contact"]
    assert chances(TESTS["others_here"], cable, ac=False)[0] > chances(TESTS["others_here"], cable, ac=True)[0]
    assert "swap_lead" not in {p.key for p in asked("pilot_interrupted", ac=False)}


def test_every_test_says_what_both_results_mean() -> None:
    for codes in (("pilot_interrupted",), ("pilot_to_zero",), ("no_offer",), ("slac_weak",), ("insulation_status",)):
        for proposal in asked(*codes):
            assert len({r.key for r in proposal.results}) >= 2
            assert all(r.words and r.leads for r in proposal.results)
            assert proposal.caution


def test_a_look_that_finds_the_contrary_unseats_a_sure_cause() -> None:
    """Somebody who followed the wires and found them right knows better than the log."""
    before = weighed(observed([finding("can_sides_swapped")]))[0]
    assert before.cause.code == "sensing_wires_swapped"
    assert before.share <= 0.98
    answer = Answer(test="sensing_wires_swapped", result="not_so")
    after = weighed(observed([finding("can_sides_swapped")], None, (answer,)))
    assert after[0].cause.code == "contactor_welded_inside"


@pytest.mark.parametrize(
    "codes",
    [
        ("pilot_interrupted",),
        ("mains_missing",),
        ("connection_closed", "vehicle_closed"),
        ("can_sides_swapped",),
        ("no_offer",),
    ],
)  # fmt: skip
def test_what_a_result_is_said_to_mean_is_what_it_then_means(codes: tuple[str, ...]) -> None:
    for proposal in asked(*codes):
        for result in proposal.results:
            answer = Answer.model_validate({"test": proposal.key, "result": result.key})
            then = weighed(observed([finding(code) for code in codes], None, (answer,)))[0]
            assert then.share == pytest.approx(result.share, abs=2e-3)
            assert then.cause.title == result.leads


def test_a_direct_look_leaves_less_of_a_sure_cause_than_a_try() -> None:
    shares = {}
    for code, cause in (("lock_obstructed", "lock_blocked"), ("frequency_out", "pilot_frequency_off")):
        found = [finding(code)]
        assert weighed(observed(found))[0].cause.code == cause
        answer = Answer(test=CAUSES[cause].test, result="not_so")
        then = weighed(observed(found, None, (answer,)))
        shares[TESTS[CAUSES[cause].test].kind] = next(w.share for w in then if w.cause.code == cause)
    assert shares["look"] < 0.6 < shares["capture"]


def test_where_nothing_listed_is_likely_a_capture_is_asked_for_once() -> None:
    """And only where something is suspect: a session as it should be is not said to hide what is wrong."""
    weak = [finding("low_side_partly_up", "suspect")]
    quiet = [finding("offer", "normal"), finding("request", "normal")]
    contrary = (Answer(test="known_vehicle", result="not_so"), Answer(test="pilot_source_weak", result="not_so"))
    first = proposals(observed(weak, None, contrary, False), weak)[0]
    assert first.key == "dc_frames"
    assert "does not show what is wrong" in first.why
    told = (*contrary, Answer(test="dc_frames", result="open"))
    assert "dc_frames" not in [p.key for p in proposals(observed(weak, None, told, False), weak)]
    for p in proposals(observed(quiet, None, (), True), quiet):
        assert p.key != "plug_in"
