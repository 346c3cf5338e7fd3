"""The mains' declaration: how they are measured, judged, aligned and told."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from gladwire.core.findings import Finding, first_of
from gladwire.core.lanes.detection import Look, is_mains
from gladwire.core.lanes.lane import ChannelRole, Channels, Landmark, Lane, Mark
from gladwire.core.lanes.mains.measure import CYCLE_S, ON_V, measure_mains
from gladwire.core.lanes.mains.record import MainsRecord, Span, joined
from gladwire.core.lanes.mains.rules import RULES
from gladwire.core.lanes.mains.subject import Ac
from gladwire.core.lanes.pilot.asking import requests
from gladwire.core.lanes.pilot.record import PilotRecord, as_one
from gladwire.core.lanes.records import Records
from gladwire.core.recognition.words import spoken_of
from gladwire.core.settled import Settled
from gladwire.core.signal.robust import quantile
from gladwire.core.stage import Standing
from gladwire.core.standards.practice import HELD_UNTIL_S
from gladwire.core.words import seconds, volts

# Logarithms of odds, by judgement. A letter alone may be any voltage or current.
_SAID, _LETTER, _SWINGS, _SMALL, _NOT = 5.0, 2.5, 4.0, 0.9, -4.0
# Amperes read now and then, of a size AC charging has: they may be of the mains.
_LOGGED, _LOGGED_HZ, _MOST_A = 0.7, 5.0, 90.0
# What differential probes divide by, the peaks of 230 V and of 120 V give or take a tenth, and how much more there is while
# mains is on. Common practice, no source.
_DIVIDERS, _PEAKS_V, _COMES = (10.0, 20.0, 50.0, 100.0, 200.0, 500.0, 1000.0), ((293.0, 358.0), (153.0, 187.0)), 8.0


_LINES = frozenset(["pilot", "plugged", "lock", "drive", "position", "contactor"])


def _speaks_of_mains(kinds: frozenset[str]) -> bool:
    """A line alone is the mains'; a pilot's or a coil's is not."""
    return "mains" in kinds or ("line" in kinds and not kinds & _LINES)


def _named_volts(kinds: frozenset[str], unit: str) -> float:
    if "amps" in kinds:
        return _NOT
    return _SAID if _speaks_of_mains(kinds) else _LETTER if "letter" in kinds else 0.0


def _named_amps(kinds: frozenset[str], unit: str) -> float:
    if _speaks_of_mains(kinds):
        return _SAID if "amps" in kinds or unit == "A" else 0.0
    # I is the letter of current (IEC 60027-1, from memory); what a clamp gives has a unit, or is asked about.
    return _LETTER if "letter" in kinds and (unit == "A" or (not unit and "amps" in kinds)) else 0.0


def _named_offer(kinds: frozenset[str], unit: str) -> float:
    """The amperes a logger says the post offers, or that its pilot stands for."""
    said = kinds & {"offer", "pilot"} or ("post" in kinds and kinds & {"most", "asked"})
    return _SAID + 1.0 if unit == "A" and said else 0.0


def _looks_volts(look: Look) -> float:
    return _SAID if is_mains(look) else _NOT if look.period_s < 1e-2 else 0.0


def _looks_amps(look: Look) -> float:
    """A clamp's volts are any factor of the amperes; so are a divider's of the mains."""
    if look.wave.unit == "A" and look.wave.rate_hz < _LOGGED_HZ and look.peak <= _MOST_A:
        return _LOGGED
    if is_mains(look) or not look.is_of_mains_frequency:
        return 0.0
    return _SWINGS if look.wave.unit == "A" else _SMALL


def _doubt_of_volts(look: Look) -> str:
    """A probe that divides, and a file that does not say so, would tell that no mains is there. Pick-up on an open line is
    small too, but it neither comes and goes nor is a usual part of a mains voltage."""
    if not look.is_of_mains_frequency or look.peak >= ON_V:
        return ""
    squares = (look.rows(CYCLE_S)[0] ** 2).mean(axis=1)
    comes = quantile(squares, 0.98) > _COMES**2 * max(quantile(squares, 0.02), 1e-12)
    divided = any(low < look.peak * ratio < high for ratio in _DIVIDERS for low, high in _PEAKS_V)
    if not (comes or divided):
        return ""
    return f"{look.says()}: too little for mains; if a probe divides it, by how much is not told"


def _doubt_of_amps(look: Look) -> str:
    kinds = spoken_of(look.wave.name)
    read = not look.wave.unit and {"letter", "amps"} <= kinds and look.wave.rate_hz < _LOGGED_HZ
    if look.wave.unit == "A" or (read and look.peak <= _MOST_A):
        return ""
    what = "in volts, as a clamp gives them" if look.wave.unit == "V" else "without a unit"
    return f"{look.says()}, {what}: how many amperes one is, is not told"


def _measured(channels: Channels, settled: Settled) -> Iterator[MainsRecord]:
    volts, amps = channels.of("mains_v"), channels.of("mains_a")
    if volts or amps:
        yield measure_mains(volts, amps, channels.of("offered_a"))


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
    if mains.volts:
        why = f"Mains stands at {volts(mains.volts[0].rms)}; whether it was switched for the vehicle is not seen here."
        return Standing("not_captured", why, volts(mains.volts[0].rms), mains.volts[0].start_s, mains.volts[-1].end_s)
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
        ChannelRole(
            "mains_v",
            "mains voltage at the vehicle",
            "volts",
            _named_volts,
            _looks_volts,
            _doubt_of_volts,
            several=True,
        ),
        ChannelRole(
            "mains_a", "mains current", "amps", _named_amps, _looks_amps, _doubt_of_amps, ("A", "V"), "A", several=True
        ),
        ChannelRole("offered_a", "amperes offered, by a logger", "amps", _named_offer, units=("A",), unit="A"),
    ),
    landmarks=_landmarks,
    join=joined,
    judges={"energise": _energise, "draw": _draw, "hold": _hold},
    begun=_begun,
    marks=_marks,
)
