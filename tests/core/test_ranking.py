"""The ranking's sums: shares, room for what nobody listed, how many are shown, evidence in order, each once."""

from __future__ import annotations

import math
import random
from collections.abc import Iterator

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gladwire.core.answers import Answer
from gladwire.core.diagnosis import likelihood
from gladwire.core.diagnosis.cause import Cause, OwnerShare, RankedCause
from gladwire.core.diagnosis.causes import CAUSES
from gladwire.core.diagnosis.evidence import ONE_FACT, Item, Observed, observed, weigh
from gladwire.core.diagnosis.ranking import disagreement, pair, rests_on, rivals, weighed
from gladwire.core.diagnosis.ranking import owners as owners_of
from gladwire.core.diagnosis.ranking import rank as rank_of
from gladwire.core.findings import Finding, Severity
from gladwire.core.rulebook import BY_CODE as RULES

BY_CODE = {cause.code: cause for cause in CAUSES}
WELDED = BY_CODE["contactor_welded"]


def weighing(cause: Cause, seen: Observed) -> tuple[Item, ...]:
    return weigh(cause, seen) or ()


def finding(code: str, severity: Severity = "fault", start_s: float = 0.0, text: str = "") -> Finding:
    return Finding(
        code=code, severity=severity, stage="pilot", text=text or code, start_s=start_s, end_s=start_s + 1, measured="",
        expected="", source="test", from_memory=False,
    )  # fmt: skip


def rank(found: list[Finding], blind: dict[str, str] | None = None) -> tuple[RankedCause, ...]:
    return rank_of(observed(found, blind), found)


def owners(found: list[Finding]) -> tuple[OwnerShare, ...]:
    return owners_of(observed(found))


@pytest.fixture
def unplayed(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Weights as they are declared, without what was counted."""
    monkeypatch.setattr(likelihood, "counts", lambda code: {})
    monkeypatch.setattr(likelihood, "sharpness", lambda: 1.0)
    likelihood.seen.cache_clear()
    likelihood.absent.cache_clear()
    yield
    likelihood.seen.cache_clear()
    likelihood.absent.cache_clear()


def once_each(weights: dict[str, float]) -> float:
    groups = [{c for c in weights if c in fact} for fact in ONE_FACT]
    grouped = set().union(*groups)
    return sum(max(weights[c] for c in group) for group in groups if group) + sum(
        w for c, w in weights.items() if c not in grouped
    )


def weight_of(cause: Cause, codes: list[str]) -> float:
    return sum(item.weight for item in weighing(cause, observed([finding(code) for code in codes])) if item.finding)


def expected_shares(found: list[Finding]) -> dict[str, float]:
    """Written out anew: softmax of summed weights, each fact once, beside a constant for what nobody listed."""
    loud = {"normal": 1.0, "note": 0.8, "suspect": 0.9, "fault": 1.0}
    codes: dict[str, float] = {}
    for f in found:
        codes[f.code] = max(codes.get(f.code, 0.0), loud[f.severity])
    weights = {}
    for cause in CAUSES:
        speaks = once_each({c: w * codes[c] for c, w in cause.speaks_for.items() if c in codes})
        quiet = cause.quiet if all(f.severity in ("normal", "note") for f in found) else 0.0
        if speaks:
            speaks += quiet
            against = once_each({c: w * codes[c] for c, w in cause.speaks_against.items() if c in codes})
            weights[cause.code] = math.exp(speaks - against) * cause.prior
    total = 1.01 * sum(weights.values()) + math.exp(0.8)
    return {code: weight / total for code, weight in weights.items()}


SCENES: list[list[Finding]] = [
    [finding("mains_without_request")],
    [finding("mains_without_request", "note")],
    [finding("pilot_interrupted"), finding("plug_touched", "note"), finding("offer", "normal")],
    [finding("series_resistance", "suspect"), finding("slow_edges", "suspect"), finding("pilot_level_thin_margin", "suspect"),
     finding("source_level_out", "suspect"), finding("frequency_out", "suspect"), finding("hunting")],
]  # fmt: skip


@pytest.mark.usefixtures("unplayed")
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


@pytest.mark.usefixtures("unplayed")
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


SOME = st.lists(
    st.builds(finding, st.sampled_from(sorted(RULES)), st.sampled_from(["normal", "note", "suspect", "fault"])),
    max_size=12,
)


@settings(deadline=None, max_examples=60)
@given(found=SOME, order=st.randoms())
def test_neither_order_nor_repetition_changes_a_share(found: list[Finding], order: random.Random) -> None:
    shuffled = [*found, *found]
    order.shuffle(shuffled)
    shares = {c.code: c.confidence for c in rank(found)}
    assert {c.code: c.confidence for c in rank(shuffled)} == pytest.approx(shares)
    assert owners(found) == owners(shuffled)


@settings(deadline=None, max_examples=60)
@given(found=SOME, more=SOME)
def test_what_another_fault_explains_changes_nothing(found: list[Finding], more: list[Finding]) -> None:
    explained = [f.model_copy(update={"follows": True}) for f in more]
    assert rank([*found, *explained]) == rank(found)


@pytest.mark.usefixtures("unplayed")
@pytest.mark.parametrize("cause", [c for c in CAUSES if c.speaks_against], ids=lambda c: c.code)
def test_what_speaks_against_a_cause_lowers_its_odds_to_the_unlisted(cause: Cause) -> None:
    for contrary in set(cause.speaks_against) - set(cause.speaks_for):
        fact = next((f for f in ONE_FACT if contrary in f), frozenset())
        speaking = [c for c in cause.speaks_for if c not in fact]
        if speaking:  # else both are one fact in two words
            assert weight_of(cause, [*speaking, contrary]) < weight_of(cause, speaking)


@settings(deadline=None, max_examples=60)
@given(found=SOME)
def test_owners_share_what_causes_share_and_no_more_than_all(found: list[Finding]) -> None:
    shares = owners(found)
    assert sum(s.share for s in shares) <= 1.0 + 1e-6
    for cause in rank(found):
        assert next(s.share for s in shares if s.owner == cause.owner) >= cause.confidence - 2e-3


@pytest.mark.usefixtures("unplayed")
@pytest.mark.parametrize("fact", ONE_FACT, ids=min)
def test_one_fact_in_many_words_counts_once(fact: frozenset[str]) -> None:
    assert fact <= set(RULES)
    for cause in CAUSES:
        told = sorted(c for c in fact if c in cause.speaks_for)
        if told:
            assert weight_of(cause, told) == max(weight_of(cause, [c]) for c in told)


@pytest.mark.parametrize(
    ("first", "second", "open_"), [(0.9, 0.05, False), (0.49, 0.1, True), (0.55, 0.4, True), (0.66, 0.4, False)]
)
def test_what_does_not_lead_decides_nothing(first: float, second: float, open_: bool) -> None:
    one = rank([finding("mains_without_request")])[0]
    causes = [one.model_copy(update={"confidence": share}) for share in (first, second)]
    assert bool(rivals(causes)) is open_
    assert rivals(causes[:1]) == ()


@settings(deadline=None, max_examples=40)
@given(found=SOME, hidden=st.sets(st.sampled_from(sorted(RULES)), max_size=30))
def test_what_could_not_be_seen_changes_nothing(found: list[Finding], hidden: set[str]) -> None:
    told = {f.code for f in found}
    everything = dict.fromkeys(set(RULES) - told, "not captured")
    assert [c.confidence for c in rank(found, everything)] == [c.confidence for c in rank(found)]
    # One more that could not be seen takes its absence back, whatever it was worth.
    some = {code: "not captured" for code in hidden - told}
    by_code = {w.cause.code: w for w in weighed(observed(found, some))}
    assert all(item.finding or item.code not in some for w in by_code.values() for item in w.items)


@settings(deadline=None, max_examples=60)
@given(found=SOME, blind=st.booleans())
def test_shares_and_what_is_left_open_are_the_whole(found: list[Finding], blind: bool) -> None:
    ranked = weighed(observed(found, {} if blind else None))
    assert 0.0 <= sum(w.share for w in ranked) < 1.0
    assert all(w.share > 0 for w in ranked)


@settings(deadline=None, max_examples=40)
@given(found=SOME, cause=st.sampled_from([c for c in CAUSES if c.speaks_against]))
def test_a_contrary_reading_never_raises_a_cause(found: list[Finding], cause: Cause) -> None:
    contrary = next(iter(cause.speaks_against))
    if contrary in {f.code for f in found}:
        return
    before = sum(i.weight for i in weighing(cause, observed(found)))
    after = sum(i.weight for i in weighing(cause, observed([*found, finding(contrary)])) if i.code != "nothing_suspect")
    quiet = sum(i.weight for i in weighing(cause, observed(found)) if i.code == "nothing_suspect")
    assert after <= before - quiet + 1e-9


def test_what_is_expected_and_not_there_speaks_against() -> None:
    """A hung post as it was played goes silent in nearly all plays; late answers alone are less."""
    played = [(c, code) for c in CAUSES for code in c.speaks_for if likelihood.absent(c.code, code)]
    assert played
    for cause, code in played:
        fact = next((f for f in ONE_FACT if code in f), frozenset({code}))
        other = next((c for c in cause.speaks_for if c not in fact), None)
        if other is None:
            continue
        seen = [finding(other)]
        looked = sum(i.weight for i in weighing(cause, observed(seen, {c: "" for c in set(RULES) - fact})))
        hidden = sum(i.weight for i in weighing(cause, observed(seen, {c: "" for c in RULES})))
        assert looked <= hidden


def test_two_faults_are_told_where_neither_explains_all() -> None:
    both = pair(observed([finding("contactor_stays_closed"), finding("frequency_out")]))
    assert both is not None
    assert {c.code for c in both} == {"contactor_welded", "pilot_frequency_off"}
    assert pair(observed([finding("frequency_out")])) is None
    # One fact in two words is one fault.
    assert pair(observed([finding("series_resistance"), finding("pilot_level_thin_margin")])) is None


def test_a_verdict_names_what_it_rests_on() -> None:
    found = [finding("frequency_out"), finding("slow_edges", "suspect")]
    rests = rests_on(observed(found))
    assert rests is not None
    assert rests.code == "frequency_out"
    assert rests.then == BY_CODE["too_much_capacitance"].title
    assert rests_on(observed([])) is None


def test_captures_and_people_that_agree_are_not_set_against_each_other() -> None:
    assert disagreement(observed([finding("series_resistance"), finding("contact_corroded")])) is None
    assert disagreement(observed([finding("mains_without_request")])) is None


def test_where_a_word_turns_the_verdict_the_page_can_say_what_captures_alone_would() -> None:
    """A look that finds water at the contacts turns edges too slow, a filter's or a cable's by themselves, into a leak."""
    captured = [finding("slow_edges")]
    alone = weighed(observed(captured))[0].cause
    both = observed([*captured, finding("contact_wet")])
    found = disagreement(both)
    assert weighed(both)[0].cause.code == "water_or_leakage"
    assert found is not None
    assert (found.overruled, found.other, found.said) == (False, alone.title, ("contact_wet",))


def test_a_word_that_captures_outweigh_is_told_beside_them() -> None:
    welded = [finding("mains_without_request"), finding("contactor_stays_closed")]
    seen = observed(welded, answers=[Answer(test="contactor_welded", result="not_so", by_name="Ines")])
    assert weighed(seen)[0].cause.code == "contactor_welded"
    found = disagreement(seen)
    assert found is not None
    assert found.overruled
    assert WELDED.if_not in found.said[0]
