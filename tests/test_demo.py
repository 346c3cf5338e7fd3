"""The demo's plug-ins: every AC stage is seen failing once, healthy ones too, and each case's cause leads."""

from __future__ import annotations

from typing import get_args

import pytest

from gladwire.core.can.names import is_dbc, read_names
from gladwire.core.case.attempt import REACHED_BY_KEY, START_BY_KEY
from gladwire.core.case.checklist.plan import BY_PLAN
from gladwire.core.case.checklist.steps import step_of
from gladwire.core.case.ending import ENDING_BY_KEY, WAITS_BY_KEY
from gladwire.core.case.proof import MODES
from gladwire.core.case.swaps import PARTS, Came
from gladwire.core.diagnosis.causes import BY_CODE as CAUSES
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.plc.keylog import KeyLog, is_keylog, read_keylog
from gladwire.core.scene.inspection import CONDITIONS
from gladwire.core.scene.spine import AC_SPINE, DC_SPINE
from gladwire.core.scene.stamps import BY_KEY, Stamp
from gladwire.core.session.session import SessionResult
from gladwire.core.supplements import Described, Supplements
from gladwire.demo.case import DemoSession
from gladwire.demo.harbour import CASES, LOOSE
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from gladwire.scenarios import bus
from tests.build import part, take, together

SESSIONS = [*(s for case in CASES for s in case.sessions), *LOOSE]


def judged(session: DemoSession) -> SessionResult:
    described = (Described(read_names(bus.dbc().decode(), bus.DBC_NAME)),)
    secrets, captures = KeyLog(), []
    for file in session.files:
        content = file.content()
        if is_keylog(content):
            secrets = read_keylog(content.decode())
        elif not is_dbc(content):
            captures.append((file.name, content))
    supplements = Supplements(secrets, described)
    parts = [part(name, take(read_capture(Source(content)), None, supplements).analysis) for name, content in captures]
    noted = [n for n in session.noted if n.at_s is not None]
    stamps = [Stamp(kind=n.kind, at_s=n.at_s or 0.0, detail=n.text, by_name=n.by_name) for n in noted]
    return together(parts, stamps)


@pytest.fixture(scope="module")
def results() -> dict[str, SessionResult]:
    return {session.title: judged(session) for session in SESSIONS}


def test_every_ac_stage_fails_in_some_session_and_one_is_whole(results: dict[str, SessionResult]) -> None:
    failing = {s.stage for t in results.values() for s in t.judgement.stages if s.state == "failed"}
    stopped = {s.stage for t in results.values() for s in t.judgement.stages if s.state in ("failed", "not_reached")}
    assert stopped >= {s.key for s in AC_SPINE}
    assert failing >= {"seat", "proximity", "lock", "pilot", "offer", "request", "energise", "draw", "hold", "end"}
    whole = results["Plug pushed home, lip trimmed"].judgement
    assert [s.state for s in whole.stages] == ["proven"] * len(AC_SPINE)
    assert {t.judgement.outcome for t in results.values()} == {
        "charged", "failed_to_start", "dropped_out", "derated", "unknown",
    }  # fmt: skip


def test_every_dc_stage_fails_in_some_session_and_frames_lie_on_the_pilots_clock(
    results: dict[str, SessionResult],
) -> None:
    talked = [t for t in results.values() if t.scene.of(ConversationRecord)]
    assert len(talked) >= 10
    failing = {s.stage for t in talked for s in t.judgement.stages if s.state == "failed"}
    assert failing >= {s.key for s in DC_SPINE} - {"seat", "proximity", "lock", "pilot", "offer"}
    whole = results["Bus 4 on stall 2, after the repair"]
    assert {s.state for s in whole.judgement.stages[3:]} == {"proven"}
    assert whole.judgement.outcome == "charged"
    for told in (t for t in talked if len(t.alignments) > 1):
        # The scope of the demo leads by 0.75 s, and frames begin 0.4 s after the session's own zero.
        assert abs(told.alignments[1].offset_s - 1.15) < 1.6, told.alignments[1]
        assert told.alignments[1].how == "events"


@pytest.mark.parametrize(
    ("title", "cause"),
    [
        ("First try, as found", "plug_not_fully_seated"),
        ("With people round the car", "latch_pressed_or_broken"),
        ("Plug-in at pier post 4", "lock_blocked"),
        ("Again, with the socket clear", "corroded_contact"),
        ("Pilot at post 3 with the test vehicle", "duty_outside_table"),
        ("Van at post 2, scope, logger and logic probe", "supply_missing"),
        ("Wall post, mains beside the pilot", "charger_not_starting"),
        ("Van 7 on post 2, plug left alone", "loose_contact"),
        ("Whole session, to the release that fails", "lock_does_not_release"),
        ("Three phases, warm afternoon", "charger_derates"),
        ("Bus 4 on stall 2, as found", "precharge_output_low"),
        ("Nobody answers matching", "modem_silent"),
        ("It matches, and nobody is behind it", "controller_unreachable"),
        ("Van on A, B beside it switched on", "neighbour_matched"),
        ("Bus 1 on the new post", "no_protocol_in_common"),
        ("Hire car 3, card tried twice", "authorisation_not_given"),
        ("Tractor at the pier", "limits_do_not_meet"),
        ("Fish van 2, straight from the wash", "insulation_low_in_vehicle_or_cable"),
        ("Ice van, frames and pilot", "post_switching_fails"),
        ("With the cable moved", "pilot_contact_in_session"),
        ("Again, and a loud click in the cabinet", "emergency_stop_pressed"),
        ("Stop pressed at the post", "stop_not_followed"),
        ("Bus 8 on stall 2", "certificate_out_of_date"),
        ("Hire car 7 by contract", "contract_refused_by_provider"),
        ("Bus 9 at the tower", "post_has_no_power_to_give"),
        ("AC with messages, the contactor refuses", "post_switching_fails"),
        ("Ice van, bus logged, as fitted", "sensing_wires_swapped"),
        ("Fish van 4, bus logged", "pin_contact_worn"),
        ("Fish van 4, the sensor went too", "pin_sensor_open"),
        ("Starts, and stops by itself", "controller_warns"),
        ("Does not even start", "connector_bus_open"),
    ],
)
def test_the_cause_of_each_case_leads(results: dict[str, SessionResult], title: str, cause: str) -> None:
    assert results[title].judgement.causes[0].code == cause


@pytest.mark.parametrize(
    ("title", "outcome", "code"),
    [
        ("Bus 9, sealed, with the controller's key log", "charged", "contract_signed"),
        ("The same next day, no key log", "unknown", "tls_sealed"),
        ("Bus 9 at the tower, after", "charged", "authorised"),
        ("Bus 10 at seven in the evening", "charged", "gave_back"),
        ("Guest's car, paused and taken up", "charged", "paused"),
        ("Ice van, after the wires were put right", "charged", "can_flows"),
        ("Third time, with the new contact", "charged", "lock_released"),
    ],
)
def test_what_is_well_is_said_to_be(results: dict[str, SessionResult], title: str, outcome: str, code: str) -> None:
    told = results[title].judgement
    assert (told.outcome, code in {f.code for f in told.findings}) == (outcome, True)
    assert not [f for f in told.findings if f.severity == "fault"]


def test_three_files_of_three_instruments_lie_on_one_clock(results: dict[str, SessionResult]) -> None:
    placed = results["Van at post 2, scope, logger and logic probe"].alignments
    assert [round(a.offset_s, 2) for a in placed] == [0.0, -2.0, -1.6]


def test_what_is_noted_uses_words_the_application_knows() -> None:
    modes = {mode.key for mode in MODES}
    for case in CASES:
        assert set(case.modes) <= modes
        for noted in case.noted:
            assert noted.kind in ("pin", "code", "note", "plan", "step", "cause", "closing")
            assert noted.kind != "plan" or noted.place in BY_PLAN
            assert noted.kind != "cause" or noted.place in CAUSES
            assert noted.kind != "step" or noted.unit in {key for key, _ in step_of(noted.place).answers}
            assert noted.kind != "pin" or noted.unit in {c.key for c in CONDITIONS}
    for session in SESSIONS:
        assert session.mode in {*modes, ""}
        assert all(n.kind in BY_KEY for n in session.noted)


def test_attempts_use_words_the_application_knows() -> None:
    for case in CASES:
        assert case.closed in {"", *ENDING_BY_KEY}
        assert case.waits_on in {"", *WAITS_BY_KEY}
        for tried in case.attempts:
            assert tried.came in get_args(Came)
            assert tried.start in {"", *START_BY_KEY}
            assert tried.stage in {"", *REACHED_BY_KEY}
            assert set(tried.parts) <= set(PARTS)
