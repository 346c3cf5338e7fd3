"""The pilot's declaration: how it is measured, judged, aligned and told."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from typing import Any

from gladwire.core.findings import Finding, first_of
from gladwire.core.lanes.lane import EXACT_S, ChannelRole, Channels, Landmark, Lane, apart
from gladwire.core.lanes.pilot.amend import amend
from gladwire.core.lanes.pilot.asking import asking_s, requests
from gladwire.core.lanes.pilot.judges import JUDGES
from gladwire.core.lanes.pilot.likeness import doubt_of_pilot, pilot_odds
from gladwire.core.lanes.pilot.measure import measure
from gladwire.core.lanes.pilot.power_noise import find_power_noise
from gladwire.core.lanes.pilot.record import PilotRecord, Segment, as_one
from gladwire.core.lanes.pilot.rules import RULES
from gladwire.core.lanes.pilot.rules.offer import is_told, offered, offers
from gladwire.core.lanes.records import Records
from gladwire.core.settled import Settled
from gladwire.core.standards.practice import UNDER_WAY_S
from gladwire.core.words import seconds

# Logarithm of the odds where a name says it, by judgement.
_SAID = 5.0
_SEGMENT_KEYS = (
    "state", "oscillating", "start_s", "end_s", "high_v", "low_v", "frequency_hz", "duty_percent",
    "duty_doubt_percent", "advertised_current_a", "rise_us", "fall_us",
)  # fmt: skip


def _measured(channels: Channels, settled: Settled) -> Iterator[PilotRecord]:
    wave = channels.first("cp")
    if wave is not None:
        record = amend(measure(wave, settled), settled.amendments)
        yield record.model_copy(update={"noise": find_power_noise(wave, record)})


def _landmarks(pilot: PilotRecord) -> Iterator[Landmark]:
    """Every change of state or offer."""
    known = [s for s in pilot.segments if s.state != "unknown"]
    digital = next((s for s in known if s.offer_kind == "digital" and s.state != "A"), None)
    if digital and digital is not known[0]:
        yield Landmark(digital.start_s, "5 % begins")
    for a, b in itertools.pairwise(known):
        at, doubt = b.start_s, EXACT_S + max(0.0, b.start_s - a.end_s)
        if a.label != b.label:
            yield Landmark(at, f"{a.label}>{b.label}", doubt)
        elif a.duty_percent is not None and b.duty_percent is not None:
            yield Landmark(at, "offer falls" if b.duty_percent < a.duty_percent else "offer rises", doubt)
        yield from (Landmark(at, kind, doubt) for kind in _plain_kinds(a.state, b.state))


def _plain_kinds(before: str, after: str) -> Iterator[str]:
    """Kinds that only serve to tie other lanes: plug-in and request, whatever oscillates."""
    if before == "A" and after in "BCD":
        yield "A>B"
    if before in "BCD" and after == "A":
        yield "B>A"
    if after in "CD" and before not in "CD":
        yield ">C"
    if before in "CD" and after not in "CD":
        yield "C>"


def _begun(records: Records, broken: Finding) -> bool | None:
    """Unseen, current had had time to flow: what breaks the stages before the request keeps them from being passed."""
    pilot = as_one(records.of(PilotRecord))
    if pilot is None:
        return None
    asked = requests(pilot)
    passed = broken.stage in ("seat", "proximity", "lock", "pilot")
    return bool(asked) and passed and broken.end_s - asked[0].start_s > UNDER_WAY_S


def _story(records: Records, findings: Sequence[Finding]) -> str:
    record = as_one(records.of(PilotRecord))
    if record is None:
        return ""
    made, asked = [s for s in offers(record) if s.state != "A"], requests(record)
    if not made or not asked:
        return "The capture is too short to walk the pilot's stages."
    if not is_told(made[0]):
        told = f"what its duty of {made[0].duty_percent:.1f} ± {made[0].duty_doubt_percent or 0.0:.1f} % leaves open"
    else:
        told = "digital communication (5 %)" if made[0].offer_kind == "digital" else offered(made[0])
    flows = first_of(findings, ("current_flows",))
    if not flows:
        asking = seconds(asking_s(record))
        return f"The post offered {told} and the vehicle asked for {asking}; the pilot did not stop it."
    end = "and it ended in order" if first_of(findings, ("stopped_asking",)) else "until the capture ends"
    return (
        f"The post offered {told}; the vehicle drew {flows.measured} for {seconds(flows.end_s - flows.start_s)}, {end}."
    )


def segment_entry(segment: Segment) -> dict[str, Any]:
    """A segment under the contract's keys."""
    values = segment.model_dump()
    return {key: values[key] for key in _SEGMENT_KEYS if values[key] is not None}


def _entries(record: PilotRecord) -> dict[str, list[dict[str, Any]]]:
    return {
        "pilot": [segment_entry(s) for s in record.segments],
        "reading": [record.interpretation.model_dump(mode="json")],
    }


def _lines(record: PilotRecord) -> list[str]:
    return ["Pilot", *(_line(s) for s in record.segments)]


def _line(s: Segment) -> str:
    line = f"  {s.start_s:10.4f} to {s.end_s:10.4f} s  {s.label:<3} {s.high_v:7.2f} V"
    if s.oscillating:
        line += f" / {s.low_v:7.2f} V  {s.frequency_hz:8.2f} Hz  {s.duty_percent:6.2f} % ± {s.duty_doubt_percent:.2f}"
        line += f"  {s.advertised_current_a:.1f} A" if s.advertised_current_a is not None else ""
    return line


LANE = Lane(
    key="pilot",
    title="Pilot",
    record=PilotRecord,
    rules=RULES,
    subjects=lambda records: records.of(PilotRecord),
    measure=_measured,
    roles=(
        ChannelRole(
            "cp",
            "control pilot",
            "volts",
            lambda kinds, unit: _SAID if "pilot" in kinds else 0.0,
            pilot_odds,
            doubt_of_pilot,
            units=("V", "full_scale", "logic"),
        ),
    ),
    landmarks=_landmarks,
    join=apart,
    judges=JUDGES,
    story=_story,
    tells=2,
    begun=_begun,
    lines=_lines,
    entries=_entries,
)
