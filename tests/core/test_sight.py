"""What a capture could show at all, at the edges of what rules need; and that no rule speaks where it could not."""

from __future__ import annotations

import pytest

from gladwire.core.measured import measure_capture, measure_recording
from gladwire.core.rulebook import ALL, BY_CODE
from gladwire.core.session.session import SessionResult, judge_session
from gladwire.core.session.sight import blind_spots
from gladwire.core.session.timeline import Part
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.simulate.circuit import PilotCircuit
from gladwire.core.simulate.lock_motor import LockScript
from gladwire.core.simulate.script import PilotScript, Scope
from gladwire.scenarios.all import SCENARIOS
from gladwire.scenarios.scenario import Scenario

HEALTHY = PilotCircuit()
# These tell what lasted less than it takes to be sure of it too, more softly.
_SOFTER_SOONER = {"no_offer", "never_asked"}


def judged(*channels: Waveform) -> SessionResult:
    return judge_session([Part("", measure_recording(Recording(channels, "test")))])


def pilot(waits_s: float = 1.0, asks_s: float = 2.0, rate_hz: float = 50e3, first: str = "none") -> Waveform:
    script = PilotScript()
    if first == "none":
        script.circuit(HEALTHY, "none", 400)
    script.circuit(HEALTHY, "waiting", 500).circuit(HEALTHY, "waiting", 1e3 * waits_s, 26.7)
    if asks_s:
        script.circuit(HEALTHY, "asking", 1e3 * asks_s, 26.7)
    return script.record(rate_hz, Scope(0.05, bits=12), 3)


def blind(result: SessionResult) -> dict[str, str]:
    return blind_spots(result.scene, result.judgement.findings, result.judgement.stages)


def test_a_pilot_alone_shows_nothing_of_other_lanes() -> None:
    found = blind(judged(pilot()))
    assert found["slac_no_answer"] == "conversation not captured"
    assert found["mains_missing"] == "mains volts not captured"
    assert found["lock_obstructed"].startswith("the lock's current")
    assert found["contact_burnt"] == "no contact was looked at"
    assert found["plug_touched"] == "nothing was stamped"
    assert "pilot_interrupted" not in found


def test_parts_of_a_lane_are_captured_one_by_one() -> None:
    current, _ = LockScript().drive(0.9).record(4.0, 50e3, 3)
    found = blind(judged(pilot(), current))
    assert found["lock_no_feedback"] == "the lock's position not captured"
    assert found["mains_missing"] == "mains volts not captured"
    assert "lock_engaged" not in found  # a pulse alone tells that something was driven


def test_what_comes_after_a_stage_waits_for_it() -> None:
    waiting, asking = blind(judged(pilot(asks_s=0.0))), blind(judged(pilot()))
    assert waiting["hunting"] == "it did not get to Request"
    assert "hunting" not in asking


@pytest.mark.parametrize(("rate_hz", "seen"), [(100e3, False), (400e3, True)])
def test_edges_are_seen_at_a_rate_that_resolves_them(rate_hz: float, seen: bool) -> None:
    found = blind(judged(pilot(asks_s=0.5, rate_hz=rate_hz)))
    assert ("slow_edges" not in found) is seen
    if not seen:
        assert found["slow_edges"] == "sampled at 100 kS/s, 200 kS/s wanted"


def test_the_post_s_own_levels_show_at_the_post_only() -> None:
    at_post, open_ = blind(judged(pilot())), blind(judged(pilot(first="")))
    assert "source_level_out" not in at_post
    assert open_["source_level_out"].startswith("not probed at the post")


def test_how_long_counts() -> None:
    wanted = BY_CODE["never_asked"].needs.seconds
    short, long = (blind(judged(pilot(waits_s=s, asks_s=0.3))) for s in (wanted - 3.0, wanted + 1.0))
    assert "wanted" in short["never_asked"]
    assert "never_asked" not in long


def test_what_spoke_is_never_called_unseen() -> None:
    result = judged(pilot())
    assert not {f.code for f in result.judgement.findings} & set(blind(result))
    assert set(blind(result)) < {rule.code for rule in ALL}


@pytest.mark.parametrize("scenario", SCENARIOS, ids=lambda s: s.key)
def test_no_rule_speaks_where_its_needs_say_it_could_not_be_seen(scenario: Scenario) -> None:
    made = scenario.makes()
    measured = measure_recording(made) if isinstance(made, Recording) else measure_capture(made).measured
    result = judge_session([Part("", measured)])
    told = {f.code for f in result.judgement.findings} - _SOFTER_SOONER
    unseen = blind_spots(result.scene, (), result.judgement.stages)
    assert {code: unseen[code] for code in told if code in unseen} == {}
