"""Mistakes of the capture itself, told apart from faults of the charging."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from gladwire.core.findings import Fact, Needs, Rule, Severity
from gladwire.core.lanes.pilot.interpretation import Mistake
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.standards.source import MEASUREMENT
from gladwire.core.words import sampling

_EXPECTED: dict[Mistake, str] = {
    "scale": "volts at the probe tip",
    "polarity": "CP on the tip, PE on the reference",
    "offset": "a zeroed channel",
    "ac_coupled": "DC coupling",
    "clipped": "a range of at least ± 15 V",
    "gaps": "every sample valid",
}


def _logic(record: PilotRecord) -> Iterator[Fact]:
    if record.interpretation.kind == "logic":
        yield Fact("note", record.interpretation.why[0], record.start_s, record.end_s, "high and low", "volts")


def _slow(record: PilotRecord) -> Iterator[Fact]:
    if not record.sees_oscillation and record.interpretation.is_pilot_like:
        text = (
            f"At {sampling(record.rate_hz)} a pilot's 1 kHz cannot be seen: levels and states are told, and neither whether "
            "the post oscillates nor what it offers."
        )
        yield Fact("note", text, record.start_s, record.end_s, sampling(record.rate_hz), "20,000 or more")


def _mistake(kind: Mistake, key: str) -> Callable[[PilotRecord], Iterator[Fact]]:
    """A check that repeats the reading's own sentence about one mistake."""

    def check(record: PilotRecord) -> Iterator[Fact]:
        reading = record.interpretation
        seen = kind in reading.guessed or (kind == "offset" and reading.offset_seen_v != 0.0)
        sentences = [why for why in reading.why if key in why]
        if seen and sentences:
            measured = {"scale": f"x{reading.scale:g}", "offset": f"{reading.offset_seen_v:+.2f} V"}.get(kind, "")
            severity: Severity = "suspect" if kind in ("ac_coupled", "clipped") else "note"
            text = " ".join(sentences)
            yield Fact(severity, text, record.start_s, record.end_s, measured, _EXPECTED[kind])

    return check


RULES: tuple[Rule[PilotRecord], ...] = (
    Rule(
        "capture_scale_guessed",
        "pilot",
        MEASUREMENT,
        "an unscaled probe",
        _mistake("scale", "Times"),
        needs=Needs(reached=""),
    ),
    Rule(
        "capture_polarity_guessed",
        "pilot",
        MEASUREMENT,
        "probe and PE swapped",
        _mistake("polarity", "swapped"),
        needs=Needs(reached=""),
    ),
    Rule(
        "capture_offset",
        "pilot",
        MEASUREMENT,
        "a channel whose zero is off",
        _mistake("offset", "Every level"),
        needs=Needs(reached=""),
    ),
    Rule(
        "capture_ac_coupled",
        "pilot",
        MEASUREMENT,
        "levels lost to AC coupling",
        _mistake("ac_coupled", "AC coupled"),
        rank="capture",
        favours_well=-4.0,
        needs=Needs(reached=""),
    ),
    Rule(
        "capture_logic",
        "pilot",
        MEASUREMENT,
        "high and low without volts",
        _logic,
        rank="capture",
        favours_well=-4.0,
        needs=Needs(reached=""),
    ),
    Rule(
        "capture_slow",
        "pilot",
        MEASUREMENT,
        "samples too few to show an oscillation",
        _slow,
        rank="capture",
        favours_well=-4.0,
        needs=Needs(reached=""),
    ),
    Rule(
        "capture_clipped",
        "pilot",
        MEASUREMENT,
        "a range too small",
        _mistake("clipped", "clipped"),
        rank="capture",
        favours_well=-4.0,
        needs=Needs(reached=""),
    ),
    Rule(
        "capture_gaps",
        "pilot",
        MEASUREMENT,
        "samples over range or missing",
        _mistake("gaps", "over range"),
        needs=Needs(reached=""),
    ),
)
