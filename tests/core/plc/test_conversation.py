"""Conversations judged: what was broken on purpose is what is told first, and nothing else is called the cause."""

from __future__ import annotations

import pytest

from gladwire.core.lanes.frames.measure import measure_frames
from gladwire.core.lanes.frames.plain import speak
from gladwire.core.lanes.frames.search import looking_for
from gladwire.core.plc.frames import Frame, FrameCapture
from gladwire.core.plc.message import Message
from gladwire.core.simulate.plc.matching import Listener
from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.core.simulate.plc.wire import BROADCAST, Station, Wire
from gladwire.scenarios.conversation_faults import CONVERSATION_FAULTS
from gladwire.scenarios.scenario import Scenario
from tests.build import Analysis, take

MINE, OTHER = Station(bytes.fromhex("02d00d000042")), Station(bytes.fromhex("02d00d000043"))
EARLIER = [s for s in CONVERSATION_FAULTS if "-20" not in s.key]


def judged(frames: list[Frame]) -> Analysis:
    return take(FrameCapture(tuple(frames), "sim", first_at=1_780_000_000.0)).analysis


@pytest.mark.parametrize("fault", CONVERSATION_FAULTS, ids=lambda s: s.key)
def test_the_first_thing_that_went_wrong_is_told_alone(fault: Scenario) -> None:
    analysis = take(fault.makes()).analysis
    told = [f for f in analysis.findings if f.severity == "fault"]
    assert [f.code for f in told] == [fault.truth.finding]
    assert [s.stage for s in analysis.stages if s.state == "failed"] == [fault.truth.stage]
    assert analysis.verdict.startswith(told[0].text)


@pytest.mark.parametrize("protocol", ["din", "iso2"])
def test_a_healthy_session_is_proven_from_match_to_end_without_a_fault(protocol: str) -> None:
    analysis = judged(play(Plan(vehicle=Vehicle((protocol,)))).frames)
    assert [s.state for s in analysis.stages[5:]] == ["proven"] * 10
    assert not [f for f in analysis.findings if f.severity in ("fault", "suspect")]
    assert analysis.outcome == "charged"
    assert [w.name for w in analysis.channels][:2] == ["Volts the post gives", "Volts the vehicle asks"]


def test_the_wrong_post_weak_and_lost_sounds_are_told_with_their_decibels() -> None:
    plan = Plan(listeners=(Listener(MINE, 7.0), Listener(OTHER, 24.0, sounds_received=7)), chooses=1,
                post=Post(ongoing={"CableCheck": -1}), patience=84)  # fmt: skip
    codes = {f.code: f for f in judged(play(plan).frames).findings}
    assert codes["slac_wrong_post"].severity == "fault"
    assert float(codes["slac_weak"].measured.split()[0]) == pytest.approx(24, abs=0.5)
    assert codes["slac_sounds_lost"].measured == "7 heard"
    assert codes["slac_several_posts"].measured == "2 posts"
    late = Plan(listeners=(Listener(MINE, 7.0, confirms_after_s=0.35),))
    assert "slac_late_match" in {f.code for f in judged(play(late).frames).findings}
    alike = Plan(listeners=(Listener(MINE, 7.0), Listener(OTHER, 8.0)))
    assert "slac_ambiguous" in {f.code for f in judged(play(alike).frames).findings}


def test_late_answers_and_a_stop_that_is_followed_are_no_faults() -> None:
    late = {f.code: f for f in judged(play(Plan(post=Post(late_at="CurrentDemand", late_s=0.4))).frames).findings}
    assert late["answers_late"].severity == "suspect"
    followed = judged(play(Plan(post=Post(stops_after=12))).frames)
    assert followed.outcome == "charged"
    assert "stop_followed" in {f.code for f in followed.findings}


def test_a_capture_cut_short_anywhere_calls_nothing_a_fault() -> None:
    """What the capture does not show is a gap: cut right after any frame, a healthy session has no fault."""
    frames = play(Plan(loop_s=2.0)).frames
    for end in range(3, len(frames), 7):
        analysis = judged(frames[:end])
        assert not [f for f in analysis.findings if f.severity == "fault"], frames[end].time_s
        assert "failed" not in {s.state for s in analysis.stages}


def test_a_second_try_that_charges_leaves_the_first_as_suspect_only() -> None:
    first = play(Plan(post=Post(fails={"Authorization": "FAILED"}))).frames
    start = first[-1].time_s + 8.0
    second = [f._replace(time_s=f.time_s + start) for f in play(Plan(seed=3)).frames]
    analysis = judged(first + second)
    refused = next(f for f in analysis.findings if f.code == "authorisation_refused")
    assert refused.severity == "suspect"
    assert analysis.outcome == "charged"
    assert "tried_again" in {f.code for f in analysis.findings}


def test_a_neighbours_matching_is_named_and_not_mixed_in() -> None:
    mine = play(Plan()).frames
    wire = Wire(4.0)
    stranger = bytes.fromhex("02aabbccddee")
    for _ in range(3):
        wire.homeplug(BROADCAST, stranger, 0x6064, b"\0\0" + bytes(range(8)))
        wire.time_s += 0.4
    analysis = judged(sorted([*mine, *wire.frames], key=lambda f: f.time_s))
    assert len(analysis.conversation.slac) == 2
    assert analysis.outcome == "charged"
    assert any("2 vehicles" in f.text for f in analysis.findings)


def test_turns_fold_loops_and_speak_in_plain_words() -> None:
    record = measure_frames(FrameCapture(tuple(play(Plan(loop_s=10.0)).frames), "sim")).record
    loop = next(t for t in record.connections[0].exchanges if t.stem == "CurrentDemand")
    assert loop.count > 30
    assert loop.ranges["EVTargetCurrent"] == (13, 120)
    assert loop.period_s == pytest.approx(0.24, abs=0.01)
    said = speak(loop)
    assert said.ev.startswith("Give me 13 → 120 A.")
    assert said.evse.startswith("You get ")
    spoken = {t.stem: speak(t) for t in record.connections[0].exchanges}
    assert spoken["supportedAppProtocol"].ev == "I speak ISO 15118-2 and DIN SPEC 70121."
    assert spoken["ChargeParameterDiscovery"].evse == "I give up to 500 V and 200 A, 60 kW, from 150 V."


@pytest.mark.parametrize(
    ("text", "found"),
    [("", True), ("currentdemand", True), ("EVSEPresentCurrent>100", True), ("PresentCurrent>=130", False),
     ("ready", True), ("DIN", False), ("presentvoltage<400 OK", True), ("presentvoltage<300", False)],
)  # fmt: skip
def test_messages_are_found_by_word_field_and_comparison(text: str, found: bool) -> None:
    fields = {
        "ResponseCode": "OK",
        "EVSEPresentVoltage": 352.5,
        "EVSEPresentCurrent": 120,
        "S.EVSEStatusCode": "EVSE_Ready",
    }
    assert looking_for(text)(Message("ISO15118-2", "CurrentDemandRes", fields)) is found
