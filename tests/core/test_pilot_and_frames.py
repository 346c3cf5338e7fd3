"""Pilot and frames of one plug-in, from two instruments: put on one clock, and told what came first."""

from __future__ import annotations

import pytest

from gladwire.core.moments import Clock, on_clock
from gladwire.core.plc.frames import FrameCapture
from gladwire.core.session.alignment import by_hand
from gladwire.core.session.session import SessionResult
from gladwire.core.signal.waveform import Waveform
from gladwire.core.simulate.circuit import PilotCircuit
from gladwire.core.simulate.plc.peers import Post
from gladwire.core.simulate.plc.session import Plan, Played, play
from gladwire.core.simulate.script import PilotScript, Scope
from tests.build import Analysis, analyse, part, recording, take, together

BRANCHES = {"A": "none", "B": "waiting", "C": "asking"}


def pilot_of(played: Played, lead_s: float = 0.0) -> Analysis:
    """The pilot of a played session, as a scope started lead_s earlier takes it."""
    script = PilotScript()
    steps = [*played.steps, (played.end_s, "")]
    for number, (start, label) in enumerate(steps[:-1]):
        lasts = steps[number + 1][0] - start + (lead_s if number == 0 else 0.0)
        duty = 5.0 if label[1] == "2" else None
        script.circuit(PilotCircuit(), BRANCHES[label[0]], 1e3 * lasts, duty, 999.4)
    wave: Waveform = script.record(100e3, Scope(noise_v=0.05, bits=10), 3)
    return analyse(recording(wave))


def frames_of(played: Played, late_s: float = 0.0) -> Analysis:
    """The frames, on a clock whose zero lies late_s after the session's."""
    frames = tuple(f._replace(time_s=f.time_s - late_s) for f in played.frames)
    return take(FrameCapture(frames, "sim")).analysis


def both(pilot: Analysis, frames: Analysis) -> SessionResult:
    return together([part("pilot", pilot), part("frames", frames)])


def codes(whole: SessionResult) -> dict[str, str]:
    return {f.code: f.severity for f in whole.judgement.findings}


@pytest.mark.parametrize(("lead_s", "late_s"), [(0.0, 0.0), (2.5, 0.3), (0.4, 7.0), (9.0, 1.0)])
def test_two_clocks_are_tied_by_what_both_show_to_within_what_is_said(lead_s: float, late_s: float) -> None:
    played = play(Plan(loop_s=4.0))
    whole = both(pilot_of(played, lead_s), frames_of(played, late_s))
    placed = whole.alignments[1]
    assert placed.how == "events"
    assert placed.matched >= 2
    assert abs(placed.offset_s - lead_s - late_s) <= placed.doubt_s
    assert placed.doubt_s < 0.7
    assert "cable check" in placed.text
    states = [s.state for s in whole.judgement.stages]
    assert states == ["not_captured"] * 3 + ["proven"] * 12


def test_a_healthy_session_has_everything_in_order() -> None:
    played = play(Plan(loop_s=4.0))
    whole = both(pilot_of(played), frames_of(played))
    assert codes(whole)["offer_before_match"] == "normal"
    assert codes(whole)["request_before_check"] == "normal"
    assert codes(whole)["order_of_end"] == "normal"
    assert whole.judgement.outcome == "charged"
    assert whole.judgement.causes[0].code == "pilot_well"


def test_a_pilot_lost_in_the_loop_is_told_before_the_reset_it_causes() -> None:
    played = play(Plan(loop_s=20.0, pilot_lost_in_loop=30))
    whole = both(pilot_of(played), frames_of(played))
    found = codes(whole)
    assert found["lost_first"] == "fault"
    assert found["connection_closed"] == "note"
    assert whole.judgement.outcome == "dropped_out"
    assert whole.judgement.causes[0].code == "pilot_contact_in_session"


def test_a_vehicle_that_never_asks_is_explained_by_what_was_said() -> None:
    played = play(Plan(post=Post(fails={"Authorization": "FAILED"})))
    alone = pilot_of(played)
    whole = both(alone, frames_of(played))
    assert {f.code: f.severity for f in alone.findings}["never_asked"] == "suspect"
    assert codes(whole)["never_asked"] == "note"
    assert whole.judgement.verdict.startswith("Authorisation refused")
    end = next(s for s in whole.judgement.stages if s.stage == "end")
    assert end.state == "not_reached"


def test_a_pilot_that_leaves_c_does_not_prove_the_end_of_a_conversation_that_broke() -> None:
    played = play(Plan(post=Post(reaches_v=210.0)))
    whole = both(pilot_of(played), frames_of(played))
    states = {s.stage: s.state for s in whole.judgement.stages}
    assert (states["parameters"], states["precharge"], states["end"]) == ("proven", "failed", "not_reached")


def test_a_cable_check_without_c_is_suspected() -> None:
    played = play(Plan(loop_s=3.0))
    without_c = Played(played.frames, [s for s in played.steps if s[1] != "C2"], played.end_s)
    pilot, frames = pilot_of(without_c), frames_of(played)
    placed = by_hand(0.0, "Runa Holt", "both started whole")
    whole = together([part("pilot", pilot), part("frames", frames, placed)])
    assert codes(whole)["request_before_check"] == "suspect"


def test_moving_a_conversation_moves_moments_and_keeps_lengths() -> None:
    record = frames_of(play(Plan(loop_s=2.0))).conversation
    moved = on_clock(record, Clock(100.0))
    first, again = record.connections[0].exchanges[-1], moved.connections[0].exchanges[-1]
    assert again.start_s == pytest.approx(first.start_s + 100)
    assert again.worst_at_s == pytest.approx(first.worst_at_s + 100)
    assert (again.wait_s, again.worst_s, again.count) == (first.wait_s, first.worst_s, first.count)
    assert again.response.time_s == pytest.approx(first.response.time_s + 100)
    run, other = record.slac[0], moved.slac[0]
    assert other.match_answered_at_s == pytest.approx(run.match_answered_at_s + 100)
    assert other.answers[0].wait_s == run.answers[0].wait_s
    assert moved.sdp[0].time_s == pytest.approx(record.sdp[0].time_s + 100)
