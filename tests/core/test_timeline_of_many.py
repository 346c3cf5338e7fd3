"""Several captures of one plug-in judged as one; what people noticed, looked at, corrected; and what is proven."""

from __future__ import annotations

import numpy as np
import pytest

from gladwire.core.case.proof import Tried, proofs, since_before
from gladwire.core.lanes.mains.record import MainsRecord
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.scene.inspection import Inspection
from gladwire.core.scene.stamps import Stamp
from gladwire.core.session.alignment import by_hand
from gladwire.core.session.session import SessionResult
from gladwire.core.settled import Amendment, Settled
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.simulate.mains import mains, rms_log
from gladwire.core.simulate.script import PilotScript, Scope
from gladwire.core.stage import StageResult
from tests.build import HEALTHY, QUIET, Analysis, analyse, analysed, part, pilot, recording, session, together

START = "2026-11-03 10:00:00.000"


def charge(asking_ms: float = 9000) -> PilotScript:
    return session(asking_ms=asking_ms)


def alone(*waves: Waveform, recorded_at: str = "") -> Analysis:
    return analyse(Recording(waves, "test", (), recorded_at))


def line(name: str, spans: list[tuple[float, float]], seconds: float, rate_hz: float = 1000.0) -> Waveform:
    times = np.arange(int(seconds * rate_hz)) / rate_hz
    level = sum(((times >= a) & (times < b)).astype(float) for a, b in spans) + np.zeros(len(times))
    return Waveform(name, level.astype(np.float32), rate_hz, 0.0, "logic")


def stage(whole: SessionResult, name: str) -> StageResult:
    return next(s for s in whole.judgement.stages if s.stage == name)


def codes(whole: SessionResult) -> set[str]:
    return {f.code for f in whole.judgement.findings}


def test_a_logger_with_a_clock_of_its_own_proves_what_the_pilot_cannot() -> None:
    scope = alone(charge().record(50e3, QUIET, 1), recorded_at=START)
    log = rms_log({"U L1": ("V", [(3.5, 230.0), (12.2, 0.0)]), "I L1": ("A", [(5.0, 15.5), (12.1, 0.0)])}, 20.0)
    logger = alone(*log, recorded_at="2026-11-03 09:59:58.000")
    assert logger.outcome == "unknown"
    whole = together([part("scope", scope), part("logger", logger)])
    assert [a.how for a in whole.alignments] == ["first", "recorded"]
    assert whole.alignments[1].offset_s == pytest.approx(-2.0, abs=0.01)
    assert whole.judgement.outcome == "charged"
    assert stage(whole, "draw").start_s == pytest.approx(3.0, abs=0.15)


def test_a_second_piece_of_time_follows_by_its_own_clock_and_gaps_fault_nothing() -> None:
    begins = pilot().hold(12, 300).hold(9, 500).pwm(9, 26.7, 500).pwm(6, 26.7, 2000)
    first = alone(begins.record(50e3, QUIET, 1), recorded_at=START)
    second = alone(
        pilot().pwm(6, 26.7, 1500).pwm(9, 26.7, 500).hold(9, 400).hold(12, 300).record(50e3, QUIET, 2),
        recorded_at="2026-11-03 10:00:30.000",
    )
    whole = together([part("one", first), part("two", second)])
    assert whole.shown_only == ()
    assert len(whole.scene.of(PilotRecord)) == 2
    assert stage(whole, "end").state == "proven"
    assert not [f for f in whole.judgement.findings if f.severity == "fault"]


def test_two_probes_of_one_pilot_share_their_steps_and_only_one_is_judged() -> None:
    script = charge(3000)
    post, vehicle = script.record(50e3, QUIET, 1), script.record(30e3, Scope(noise_v=0.1, bits=9), 2)
    late = Waveform("CP", vehicle.samples[6000:], 30e3)
    whole = together([part("post", alone(post)), part("vehicle", alone(late))])
    placed = whole.alignments[1]
    assert placed.how == "events"
    assert placed.offset_s == pytest.approx(0.2, abs=0.002)
    assert placed.matched >= 5
    assert whole.shown_only == ("vehicle",)


def test_what_nothing_ties_is_not_judged_with_the_rest_until_placed_by_hand() -> None:
    pilot_part = part("pilot", alone(charge().record(50e3, QUIET, 1)))
    volts, amps = mains([(0.0, 230.0)], [], 1.0, 2000)
    one = part("logger", alone(volts, amps))
    whole = together([pilot_part, one])
    assert whole.alignments[1].how == "none"
    assert whole.scene.first(MainsRecord) is None
    placed = together([pilot_part, one._replace(by_hand=by_hand(2.0, "Runa", "by the clunk"))])
    moved = placed.scene.first(MainsRecord)
    assert moved is not None
    assert moved.start_s == pytest.approx(2.0)
    assert "Runa" in placed.alignments[1].text


def test_a_contactor_line_against_the_pilot() -> None:
    script = charge(6000)
    wave = script.record(50e3, QUIET, 1)
    for spans, code, state in (
        ([(1.6, 7.23)], "contactor_closes", "not_captured"),
        ([(0.1, 0.2)], "contactor_not_driven", "failed"),
    ):
        lines = line("K1", spans, wave.duration_s)
        logic = part("logic", alone(lines), by_hand(0.0, "x", ""))
        whole = together([part("scope", alone(wave)), logic])
        assert code in codes(whole)
        assert stage(whole, "energise").state == state
    stuck = line("K1", [(1.6, 99.0)], wave.duration_s + 3)
    longer = pilot()
    longer.phases = [*script.phases, *pilot().hold(12, 3000).phases]
    whole = together([part("a", analysed(longer, 50e3)), part("b", alone(stuck), by_hand(0.0, "x", ""))])
    assert "contactor_stays_closed" in codes(whole)
    assert stage(whole, "end").state == "failed"


def test_what_was_heard_and_seen_is_evidence_and_no_proof() -> None:
    one = part("scope", analysed(charge(6000), 50e3))
    quiet = together([one])
    heard = together(
        [one],
        [
            Stamp(kind="contactor_clunk", at_s=2.0, by_name="Runa"),
            Stamp(kind="lamp_steady", at_s=0.5, detail="green"),
            Stamp(kind="breaker_trips", at_s=5.0),
            Stamp(kind="contactor_clunk", at_s=0.1),
        ],
    )
    assert "heard_contactor" in codes(heard) - codes(quiet)
    assert "heard_contactor_alone" in codes(heard)
    assert stage(heard, "energise").state == "not_captured"
    assert "proximity only" in stage(heard, "proximity").why
    assert stage(heard, "proximity").state == "not_captured"
    assert (stage(heard, "hold").state, heard.judgement.outcome) == ("failed", "dropped_out")
    assert heard.judgement.causes[0].code == "earth_fault_trip"


def test_three_attempts_heard_mean_something_is_in_the_way() -> None:
    """Common practice: a lock that clatters again and again meets something."""
    waits = analysed(pilot().hold(12, 500).hold(9, 7000), 20e3)
    whole = together([part("scope", waits)], [Stamp(kind="lock_clatter", at_s=2.0)])
    assert "lock_blocked" in {c.code for c in whole.judgement.causes}


def test_a_look_at_a_contact_changes_the_ranking() -> None:
    one = part("scope", analysed(pilot().hold(12.0, 6000), 20e3))
    recessed = Inspection(pin="CP", where="Type 2 plug", condition="recessed", by_name="Runa")
    causes = [c.code for c in together([one], (), [recessed]).judgement.causes]
    assert causes.index("pilot_open") < causes.index("plug_not_fully_seated")
    sound = Inspection(pin="CP", where="Type 2 plug", condition="sound")
    assert codes(together([one], (), [sound])) == codes(together([one]))


def test_switching_noise_on_the_pilot_tells_that_power_flows() -> None:
    loud = Scope(noise_v=0.05, bits=10, switching=((2.0, 6.0, 1.0),))
    analysis = analysed(charge(6000), 125e3, loud)
    noise = analysis.pilot.noise[0]
    assert (noise.start_s, noise.end_s) == (pytest.approx(2.0, abs=0.11), pytest.approx(6.0, abs=0.11))
    assert "power_noise" in {f.code for f in analysis.findings}
    assert analysed(charge(6000), 125e3).pilot.noise == ()
    # Line bursts of a DC post ride on its pilot all the time and prove nothing.
    assert analysed(charge(3000), 125e3, Scope(noise_v=0.05, bits=10, burst_v=1.5)).pilot.noise == ()


def test_a_corrected_reading_leads_and_the_machines_own_stays() -> None:
    wave = session(duty=26.7, asking_ms=3000).record(103e3, QUIET, 1)
    machine = analyse(recording(wave))
    assert machine.pilot is not None
    asking = next(s for s in machine.pilot.segments if s.label == "C2")
    middle = (asking.start_s + asking.end_s) / 2
    told = Amendment(at_s=middle, high_v=7.6, duty_percent=5.0, by_name="Runa", why="read in the single cycle")
    corrected = analyse(recording(wave), Settled(amendments=(told,)))
    assert corrected.pilot is not None
    changed = next(s for s in corrected.pilot.segments if s.machine)
    assert (changed.state, changed.high_v, changed.offer_kind) == ("unknown", 7.6, "digital")
    assert changed.machine["high_v"] == pytest.approx(asking.high_v)
    assert (changed.machine["state"], changed.amended_by) == ("C", "Runa")
    assert corrected.verdict != machine.verdict
    again = Amendment(at_s=middle, state="C", by_name="Ola", why="seen again")
    twice = analyse(recording(wave), Settled(amendments=(told, again)))
    assert twice.pilot is not None
    last = next(s for s in twice.pilot.segments if s.machine)
    assert (last.state, last.high_v, last.machine["high_v"]) == ("C", 7.6, pytest.approx(asking.high_v))


@pytest.mark.parametrize(
    ("amendment", "says"),
    [
        (Amendment(at_s=99.0, state="B"), "outside the record"),
        (Amendment(at_s=0.1, duty_percent=20), "no duty to correct"),
    ],
)
def test_a_correction_that_fits_nothing_is_refused(amendment: Amendment, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        analyse(recording(session().record(50e3, QUIET, 1)), Settled(amendments=(amendment,)))


def results(**states: str) -> tuple[StageResult, ...]:
    names = ("seat", "proximity", "lock", "pilot", "offer", "request", "energise", "draw", "hold", "end")
    return tuple(
        StageResult(stage=n, title=n.capitalize(), state=states.get(n, "not_captured"), why="")  # type: ignore[arg-type]
        for n in names
    )


def test_an_obstruction_cleared_leaves_the_next_stage_unproven() -> None:
    """Common practice: faults come in pairs."""
    before, after = results(lock="failed"), results(lock="proven", pilot="proven")
    said = since_before(before, after)
    assert "Lock, failed in the session before, is proven now" in said
    assert "Request, Energise, Draw and Hold are still unproven: not yet mended" in said
    second = since_before(before, results(lock="proven", pilot="failed"))
    assert "Pilot fails now; whether it did before was not captured." in second
    hidden = since_before(results(lock="failed", pilot="not_reached"), results(lock="proven", pilot="failed"))
    assert "Pilot fails now, not reached before: a second fault stood behind the first." in hidden
    anew = since_before(results(lock="failed", pilot="proven"), results(lock="proven", pilot="failed"))
    assert "Pilot fails now, proven before: new, or it comes and goes." in anew
    assert "not yet mended" not in second
    assert since_before(results(lock="proven"), after) == ""
    assert "Lock still fails" in since_before(before, before)


def test_each_reported_mode_needs_its_own_proof_after_the_last_repair() -> None:
    charged = results(request="proven", energise="proven", draw="proven", hold="proven", end="proven")
    tried = [
        Tried("mode3_socket", "post 1", "failed_to_start", results(lock="failed"), True),
        Tried("mode3_socket", "post 2", "charged", charged, False),
        Tried("dc", "stall 4", "charged", charged, True),
    ]
    found = {p.mode[:8]: p for p in proofs(["mode3_socket", "mode2", "dc"], tried)}
    assert [p.state for p in found.values()] == ["proven", "unproven", "unproven"]
    assert "not tried" in found["Portable"].text
    assert "repair came after" in found["DC post "].text
    hurts = proofs(["dc"], [Tried("dc", "stall 4", "charged", charged, False, danger=True)])[0]
    assert (hurts.state, hurts.text) == ("failing", "What “stall 4” tells can hurt: it proves nothing.")
    held = proofs(["dc"], [Tried("dc", "stall 4", "charged", results(end="failed"), False)])[0]
    assert (held.state, held.text) == ("unproven", "“stall 4” charged, and End failed.")
    unseen = proofs(["mode2"], [Tried("mode2", "garage", "unknown", results(request="proven"), False)])[0]
    assert unseen.state == "unproven"
    assert "Energise" in unseen.text


def test_nobody_drives_the_lock() -> None:
    wave = PilotScript().circuit(HEALTHY, "none", 500).circuit(HEALTHY, "waiting", 12_000).record(2000, QUIET, 1)
    latch = Waveform("PP", np.where(np.arange(len(wave.samples)) < 900, 4.46, 1.51).astype(np.float32), 2000.0)
    idle = Waveform("Lock current", np.zeros(len(wave.samples), np.float32), 2000.0, 0.0, "A")
    analysis = alone(wave, latch, idle)
    assert "lock_not_driven" in {f.code for f in analysis.findings}
    assert next(s.state for s in analysis.stages if s.stage == "lock") == "not_reached"
