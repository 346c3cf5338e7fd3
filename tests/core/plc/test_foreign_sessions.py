"""Sessions of a protocol stack that is not ours: what was set up must be what is told. See ORIGIN.md beside the files."""

from __future__ import annotations

from pathlib import Path

import pytest

from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from tests.build import Analysis, take

FOLDER = Path(__file__).parents[2] / "fixtures" / "sessions"
CASES = [
    # file, outcome, stage that fails, finding, messages decoded
    ("iso2_healthy", "charged", None, None),
    ("iso2_ac_healthy", "charged", None, None),
    ("iso2_refused", "failed_to_start", "parameters", "post_silent"),
    ("din_insulation", "failed_to_start", "insulation", "check_refused"),
    ("din_hangs", "failed_to_start", "insulation", "insulation_no_verdict"),
]


def analysed(name: str) -> Analysis:
    return take(read_capture(Source(FOLDER / f"{name}.pcapng"))).analysis


def state(analysis: Analysis) -> dict[str, str]:
    return {s.stage: s.state for s in analysis.stages}


@pytest.mark.parametrize(("name", "outcome", "stage", "code"), CASES)
def test_what_was_set_up_is_what_is_told(name: str, outcome: str, stage: str | None, code: str | None) -> None:
    analysis = analysed(name)
    assert analysis.outcome == outcome
    assert [s.stage for s in analysis.stages if s.state == "failed"] == ([stage] if stage else [])
    assert [f.code for f in analysis.findings if f.severity == "fault"] == ([code] if code else [])
    assert sum(t.undecoded for t in analysis.conversation.connections) == 0


def test_everything_of_these_sessions_is_decoded_and_encoded_back_to_the_same_fields() -> None:
    from gladwire.core.plc.message import read_message, write_message

    seen = set()
    for path in sorted(FOLDER.glob("*.pcapng")):
        taken = take(read_capture(Source(path)))
        for number in range(len(taken.messages)):
            message = taken.messages.one(number).message
            if message.error is None:
                again = write_message(message.key, message.name, message.fields, message.header)
                assert read_message(again, (message.key,)).fields == message.fields
                seen.add((message.key, message.name))
    assert len(seen) > 40


def test_an_ac_conversation_walks_the_ac_spine() -> None:
    analysis = analysed("iso2_ac_healthy")
    stages = state(analysis)
    assert "energise" in stages
    assert "insulation" not in stages
    assert [stages[s] for s in ("link", "agree", "authorise", "parameters", "hold", "end")] == ["proven"] * 6
    assert stages["match"] == "not_captured"


def test_limits_that_cannot_meet_are_told_with_both_numbers_and_did_not_stop_this_stack() -> None:
    finding = next(f for f in analysed("iso2_healthy").findings if f.code == "limits_voltage")
    assert (finding.severity, finding.measured, finding.expected) == ("suspect", "post up to 40 V", "pack at 500 V")


def test_the_stale_request_after_a_failed_answer_is_a_consequence() -> None:
    found = {f.code: f for f in analysed("din_insulation").findings}
    assert found["check_refused"].severity == "fault"
    assert found["post_silent"].severity == "note"
    assert found["connection_closed"].severity == "note"


def test_an_emergency_in_the_loop_and_a_stop_that_was_followed() -> None:
    analysis = analysed("iso2_emergency")
    codes = {f.code for f in analysis.findings}
    assert {"post_emergency", "stop_followed", "session_stopped"} <= codes
    assert state(analysis)["hold"] == "failed"


def test_iso_15118_20_is_read_and_its_refusals_and_endings_judged() -> None:
    analysis = analysed("iso20_dc")
    names = [t.stem for t in analysis.conversation.connections[0].exchanges]
    assert names == ["supportedAppProtocol", "SessionSetup", "AuthorizationSetup"]
    assert [f.code for f in analysis.findings if f.severity == "fault"] == ["vehicle_closed"]
    assert "ISO 15118-20 DC" in next(f.text for f in analysis.findings if f.code == "protocol_agreed")
