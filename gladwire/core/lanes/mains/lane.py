"""The mains' declaration: how they are measured, judged, aligned and told."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from gladwire.core.findings import Finding, first_of
from gladwire.core.lanes.detection import is_mains
from gladwire.core.lanes.lane import ChannelRole, Channels, Landmark, Lane, Mark
from gladwire.core.lanes.mains.measure import measure_mains
from gladwire.core.lanes.mains.record import MainsRecord, Span, joined
from gladwire.core.lanes.mains.rules import RULES, Ac
from gladwire.core.lanes.pilot.asking import requests
from gladwire.core.lanes.pilot.record import PilotRecord, as_one
from gladwire.core.lanes.records import Records
from gladwire.core.settled import Settled
from gladwire.core.stage import Standing
from gladwire.core.standards.practice import HELD_UNTIL_S
from gladwire.core.words import seconds

_MAINS = re.compile(r"\b(l[123]|mains?|phase|u[123]?|i[123]?|irms|urms|line)\b", re.IGNORECASE)


def _measured(channels: Channels, settled: Settled) -> Iterator[MainsRecord]:
    volts, amps = channels.of("mains_v"), channels.of("mains_a")
    if volts or amps:
        yield measure_mains(volts, amps)


def _subjects(records: Records) -> Iterator[Ac]:
    pilot = as_one(records.of(PilotRecord))
    yield from (Ac(pilot, mains) for mains in records.of(MainsRecord))


def _landmarks(record: MainsRecord) -> Iterator[Landmark]:
    """On and off, leaving out what only the capture's own ends cut."""
    for spans, name in ((record.volts, "mains"), (record.amps, "current")):
        for span in spans:
            if span.start_s > record.start_s + 0.02:
                yield Landmark(span.start_s, f"{name} on", 0.01)
            if span.end_s < record.end_s - 0.02:
                yield Landmark(span.end_s, f"{name} off", 0.01)


def _energise(records: Records, findings: Sequence[Finding]) -> Standing | None:
    mains, pilot = records.first(MainsRecord), as_one(records.of(PilotRecord))
    if mains is None:
        return None
    if not mains.has_volts or (pilot and requests(pilot)):
        return Standing("not_captured", "The capture does not show the contactor's output long enough to tell.")
    return Standing("not_reached", "No mains, and the vehicle is not seen asking.")


def _draw(records: Records, findings: Sequence[Finding]) -> Standing | None:
    mains = records.first(MainsRecord)
    return Standing("not_captured", "No current flows in this capture.") if mains and mains.has_amps else None


def _hold(records: Records, findings: Sequence[Finding]) -> Standing | None:
    mains, pilot = records.first(MainsRecord), as_one(records.of(PilotRecord))
    if mains is None or not mains.amps or pilot is None or not (asked := requests(pilot)):
        return None
    ended = first_of(findings, ("stopped_asking",))
    if ended and mains.amps[-1].end_s > ended.start_s - HELD_UNTIL_S:
        flowed = seconds(sum(s.duration_s for s in mains.amps))
        why = f"Current flowed for {flowed}, until the vehicle let go of its request."
        return Standing("proven", why, flowed, mains.amps[0].start_s, mains.amps[-1].end_s)
    lasted = seconds(sum(s.duration_s for ask in asked for s in ask.segments))
    why = f"The pilot kept asking for {lasted} without a break; and current flowed with it."
    return Standing("not_captured", why, f"C {lasted}")


def _begun(records: Records, broken: Finding) -> bool | None:
    mains = records.first(MainsRecord)
    if mains is None or not mains.has_amps:
        return None
    return any(span.start_s < broken.start_s - 0.1 for span in mains.amps)


def _marks(record: MainsRecord, channel: str, role: str) -> Iterator[Mark]:
    spans = {"mains_v": record.volts, "mains_a": record.levels}.get(role, ())
    for span in spans:
        if channel in span.carried_by:
            yield Mark(span.start_s, span.end_s, _rms(span, channel, role))


def _rms(span: Span, channel: str, role: str) -> str:
    rms = span.rms_of(channel)
    return f"{rms:.0f} V" if role == "mains_v" else f"{rms:.1f} A"


LANE = Lane(
    key="mains",
    title="Mains",
    record=MainsRecord,
    rules=RULES,
    subjects=_subjects,
    measure=_measured,
    roles=(
        ChannelRole("mains_v", "mains voltage at the vehicle", "volts", _MAINS, ("V",), recognises=is_mains),
        ChannelRole("mains_a", "mains current", "amps", _MAINS, ("A",)),
    ),
    landmarks=_landmarks,
    join=joined,
    judges={"energise": _energise, "draw": _draw, "hold": _hold},
    begun=_begun,
    marks=_marks,
)
