"""What earlier versions kept comes along: one old file of every format, and what has no way here says so."""

from __future__ import annotations

import gzip
import json
from pathlib import Path

import pytest

from gladwire.core.lanes.bus.record import CanRecord
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.lock.record import LockRecord
from gladwire.core.lanes.mains.record import MainsRecord
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.lanes.records import Record
from gladwire.core.measured import Measured
from gladwire.core.session.session import judge_alone
from gladwire.store import shapes
from gladwire.store.shapes import OldShapeError, details_from, measured_from, settled_from

KEPT = Path(__file__).parents[1] / "fixtures" / "kept"


def old(name: str) -> str:
    return gzip.decompress((KEPT / f"{name}.json.gz").read_bytes()).decode()


@pytest.mark.parametrize(
    ("name", "kinds"),
    [
        ("measured-1-plug-in", (PilotRecord, LockRecord, MainsRecord)),
        ("measured-1-frames", (ConversationRecord,)),
        ("measured-1-power", (PowerReport,)),
        ("measured-1-bus", (CanRecord,)),
    ],
)
def test_a_result_of_an_older_version_is_read_and_judged(name: str, kinds: tuple[type[Record], ...]) -> None:
    measured = measured_from(old(name), 1)
    assert measured.measures == 6
    assert all(measured.of(kind) for kind in kinds)
    assert judge_alone(measured).verdict
    again = measured_from(measured.model_dump_json(), shapes.MEASURED_FORMAT)
    assert again == measured


def test_a_conversation_is_kept_whole_under_its_new_names() -> None:
    before = json.loads(old("measured-1-frames"))["conversation"]
    after = measured_from(old("measured-1-frames"), 1).first(ConversationRecord)
    assert after is not None
    assert len(after.slac) == len(before["slac"]) > 0
    assert [len(c.exchanges) for c in after.connections] == [len(t["turns"]) for t in before["talks"]]


def test_the_noise_of_power_belongs_to_the_pilot_now() -> None:
    text = old("measured-1-plug-in").replace(
        '"power_noise":[]', '"power_noise":[{"start_s":1.0,"end_s":2.0,"noise_v":0.2,"before_v":0.01}]'
    )
    pilot = measured_from(text, 1).first(PilotRecord)
    assert pilot is not None
    assert [n.noise_v for n in pilot.noise] == [0.2]


def test_what_people_settled_comes_along_whatever_else_stands_there() -> None:
    settled = settled_from((KEPT / "settled-1.json").read_text(), 1)
    assert settled.roles == {"CH1": "cp"}
    assert (settled.scale, settled.offset_v, settled.signals) == (10.0, -0.25, {"amps": "Pack.Current"})
    assert settled.context is not None
    assert settled.context.post_kw == 150.0
    assert settled.amendments[0].by_name == "Runa Holt"


def test_figures_of_equipment_come_along() -> None:
    assert details_from((KEPT / "details-1.json").read_text(), 1)["pack_kwh"] == 58.0


def test_a_shape_of_a_newer_version_or_none_at_all_is_told() -> None:
    text = Measured(format="x").model_dump_json()
    with pytest.raises(OldShapeError, match="format 99"):
        measured_from(text, 99)
    with pytest.raises(OldShapeError, match="format 0"):
        measured_from(text, 0)
    with pytest.raises(OldShapeError):
        measured_from('{"format": "x", "records": {"pilot": [{"start_s": 0}]}}', shapes.MEASURED_FORMAT)
    with pytest.raises(OldShapeError):
        measured_from('{"format": "x", "records": {"no_such_lane": [{}]}}', shapes.MEASURED_FORMAT)
    with pytest.raises(OldShapeError):
        settled_from("{}", shapes.SETTLED_FORMAT + 1)
