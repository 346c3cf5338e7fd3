"""The captures that “How a verdict is made” follows, step by step as told there."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from gladwire.core.diagnosis.causes import CAUSES
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.session.session import SessionResult
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from tests.test_demo import SESSIONS, judged

PAGE = (Path(__file__).parents[1] / "docs" / "how-a-verdict-is-made.md").read_text()
FOLLOWED = {
    "hotel_post2_van7.csv.gz": ("scope-csv", "pilot_interrupted", "hold", "loose_contact"),
    "busyard_stall2_frames.pcapng": ("pcapng", "precharge_not_reached", "precharge", "precharge_output_low"),
    "ferry_stall3_0914.csv": ("power-csv", "power_shared", None, "cabinet_shared"),
    "north2_bus8_frames.pcapng": ("pcapng", "tls_certificate_out", "link", "certificate_out_of_date"),
    "icevan_first.log": ("can-log", "can_sides_swapped", "precharge", "sensing_wires_swapped"),
}


def followed(name: str) -> SessionResult:
    return judged(next(s for s in SESSIONS if any(f.name == name for f in s.files)))


@pytest.mark.parametrize("name", FOLLOWED)
def test_reader_finding_stage_and_cause_are_those_told(name: str) -> None:
    reader, code, stage, cause = FOLLOWED[name]
    assert name in PAGE
    file = next(f for s in SESSIONS for f in s.files if f.name == name)
    assert read_capture(Source(file.content())).format == reader
    judgement = followed(name).judgement
    assert judgement.findings[0].code == code
    assert [s.stage for s in judgement.stages if s.state == "failed"] == ([stage] if stage else [])
    assert judgement.causes[0].code == cause
    owner = {c.code: c.owner for c in CAUSES}[cause]
    told = {m for m in re.findall(r"core/diagnosis/causes/(\w+)\.py", PAGE)}
    assert owner in told or name == "hotel_post2_van7.csv.gz"


def test_the_pilot_is_cut_as_told() -> None:
    result = followed("hotel_post2_van7.csv.gz")
    pilot = result.scene.first(PilotRecord)
    assert pilot is not None
    assert [s.label for s in pilot.segments[:3]] == ["A1", "B1", "B2"]
    assert [s.label for s in pilot.segments].count("A2") >= 4
    assert sum(e.kind == "interruption" for e in pilot.events) == 4
    state = {s.stage: s.state for s in result.judgement.stages}
    assert [state[k] for k in ("pilot", "offer", "request")] == ["proven"] * 3
    assert [state[k] for k in ("seat", "proximity", "lock")] == ["not_captured"] * 3
    assert "interrupted 4 times; the longest lasts 38 ms" in result.judgement.verdict


def test_the_conversation_is_folded_and_the_later_fault_is_a_note() -> None:
    result = followed("busyard_stall2_frames.pcapng")
    conversation = result.scene.first(ConversationRecord)
    assert conversation is not None
    precharge = [e for c in conversation.connections for e in c.of("PreCharge")]
    assert len(precharge) == 1
    assert precharge[0].count > 5
    assert {f.code: f.severity for f in result.judgement.findings}["vehicle_closed"] == "note"
    assert {"offer_before_match", "request_before_check"} <= {f.code for f in result.judgement.findings}
    assert [a.how for a in result.alignments] == ["first", "events"]


def test_the_shared_cabinet_is_derated_by_the_site() -> None:
    result = followed("ferry_stall3_0914.csv")
    report = result.scene.first(PowerReport)
    assert report is not None
    assert (report.verdict, result.judgement.outcome) == ("derated", "derated")
    assert [e.limiter for e in report.entries if e.limiter == "shared_cabinet"]
