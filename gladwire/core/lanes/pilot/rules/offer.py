"""Oscillation: frequency, duty, what it offers and whether the offer changed."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from gladwire.core.findings import Fact, Needs, Rule, Severity
from gladwire.core.lanes.pilot.events import offer_changed
from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.standards import pilot_duty
from gladwire.core.standards.pilot_duty import CHARGING, DIGITAL, VEHICLE_TOLERANCE_PERCENT
from gladwire.core.standards.pilot_timing import (
    FREQUENCY_HZ,
    FREQUENCY_SOURCE,
    FREQUENCY_SOURCE_TOLERANCE,
    FREQUENCY_VEHICLE_TOLERANCE,
    LOWERED_FOR_S,
    PATIENCE_S,
    SEQUENCES_SOURCE,
)
from gladwire.core.standards.source import MEASUREMENT
from gladwire.core.words import amps, band, seconds

# Fewer cycles do not fix a frequency.
_ENOUGH_CYCLES = 5
# By so much the duty at 0 V lies under the one commanded: edges of some µs. Common practice, no source.
_FINITE_EDGES_PERCENT = 0.2


def offers(record: PilotRecord) -> list[Segment]:
    """Oscillating segments with a vehicle or an undecided level, in order; one per duty."""
    found: list[Segment] = []
    for s in record.segments:
        counts = s.oscillating and s.duty_percent is not None and s.cycles >= 2
        if counts and (not found or offer_changed(found[-1], s) or found[-1].cycles < s.cycles):
            if found and not offer_changed(found[-1], s):
                found[-1] = s
            else:
                found.append(s)
    return found


def _duty(s: Segment) -> str:
    digits = 2 if (s.duty_doubt_percent or 0) < 0.1 else 1
    return f"{s.duty_percent:.{digits}f} % ± {max(s.duty_doubt_percent or 0.0, 10.0**-digits):.{digits}f} %"


def offered(s: Segment) -> str:
    """The current a segment offers: the usual one where it lies inside the doubt, with what was measured, “16 A
    (26.2 ± 1.2 %)”, or the range of those that do; else as measured, “17.1 A (duty 28.5 % ± 0.1 %)”."""
    doubt = max(s.duty_doubt_percent or 0.0, _FINITE_EDGES_PERCENT)
    usual = pilot_duty.usual_offers_a(s.duty_percent or 0.0, doubt)
    if len(usual) > 1 and s.offer_kind == "current":
        return f"{usual[0]:g} to {usual[-1]:g} A ({s.duty_percent:.1f} ± {doubt:.1f} %)"
    if not usual or s.offer_kind != "current":
        return f"{amps(s.advertised_current_a or 0.0)} (duty {_duty(s)})"
    digits = 2 if (s.duty_doubt_percent or 0) < 0.1 else 1
    return (
        f"{usual[0]:g} A ({s.duty_percent:.{digits}f} ± {max(s.duty_doubt_percent or 0.0, 10.0**-digits):.{digits}f} %)"
    )


def is_told(s: Segment) -> bool:
    """Whether what the duty means is known: all its doubt means the same, or it lies on a usual duty as nearly as can be and
    no usual duty that means something else lies within the doubt."""
    duty, doubt = s.duty_percent or 0.0, s.duty_doubt_percent or 0.0
    ends = (max(0.0, duty - doubt), min(100.0, duty + doubt))
    if s.offer_kind != "none" and all(pilot_duty.offer(end).kind == s.offer_kind for end in ends):
        return True
    currents = [d for a in pilot_duty.USUAL_OFFERS_A for d in pilot_duty.duties_for(a)]
    digital = [pilot_duty.USUAL_DIGITAL_PERCENT]
    same, other = (digital, currents) if s.offer_kind == "digital" else (currents, digital)
    nearest, another = (min(abs(duty - d) for d in duties) for duties in (same, other))
    return s.offer_kind != "none" and nearest < doubt / 2.0 and another > doubt


def _offer(record: PilotRecord) -> Iterator[Fact]:
    for s in offers(record):
        if s.offer_kind == "current" and s.state != "A" and is_told(s):
            text = f"The post offers {offered(s)}."
            yield Fact("normal", text, s.start_s, s.end_s, _duty(s), f"{CHARGING} for charging by pilot alone")


def _digital(record: PilotRecord) -> Iterator[Fact]:
    for s in offers(record):
        if s.offer_kind == "digital" and s.state != "A" and is_told(s):
            text = (
                f"Duty {_duty(s)} means digital communication: no current is offered by the pilot itself, vehicle and "
                "post must talk over it first. Power line frames show that talk."
            )
            yield Fact("normal", text, s.start_s, s.end_s, _duty(s), DIGITAL)


def _outside(record: PilotRecord) -> Iterator[tuple[Segment, bool]]:
    """Offers where no charging is allowed, and whether that is beyond the doubt of the measurement."""
    for s in offers(record):
        if s.offer_kind == "none" and s.duty_percent is not None:
            edge = pilot_duty.edge_distance_percent(min(s.duty_percent, 99.999))
            yield s, edge > (s.duty_doubt_percent or 0.0) + _FINITE_EDGES_PERCENT


def _forbidden(record: PilotRecord) -> Iterator[Fact]:
    for s, sure in _outside(record):
        if sure:
            text = f"Duty {_duty(s)} lies where no charging is allowed."
            yield Fact("fault", text, s.start_s, s.end_s, _duty(s), f"{DIGITAL} or {CHARGING}")


def _at_the_edge(record: PilotRecord) -> Iterator[Fact]:
    for s, sure in _outside(record):
        if not sure:
            text = (
                f"Duty {_duty(s)} lies at the edge of an allowed range; the doubt of the measurement reaches into it. Sample "
                "faster to be sure."
            )
            yield Fact("note", text, s.start_s, s.end_s, _duty(s), f"{DIGITAL} or {CHARGING}")


def _doubtful(record: PilotRecord) -> Iterator[Fact]:
    """The honest word about sampling: a duty that this capture cannot fix well enough."""
    for s in sorted(offers(record), key=lambda s: -(s.duty_doubt_percent or 0.0))[:1]:
        doubt = s.duty_doubt_percent or 0.0
        if doubt <= 1.05 * VEHICLE_TOLERANCE_PERCENT or s.duty_percent is None:
            continue
        low, high = max(0.0, s.duty_percent - doubt), min(100.0, s.duty_percent + doubt)
        meanings = (pilot_duty.offer(low), pilot_duty.offer(high))
        ends = " to ".join(amps(m.current_a) if m.current_a else m.means for m in meanings)
        text = (
            f"At {record.rate_hz / 1e3:g} kS/s there are {record.rate_hz / (s.frequency_hz or 1000):.3g} samples to the "
            f"cycle, locked to it: the duty is known to ± {doubt:.1f} % only ({ends})."
        )
        yield Fact("note", text, s.start_s, s.end_s, f"± {doubt:.1f} %", f"± {VEHICLE_TOLERANCE_PERCENT:g} % or better")


def _frequency(record: PilotRecord) -> Iterator[Fact]:
    for s in offers(record):
        if s.frequency_hz is None or s.cycles < _ENOUGH_CYCLES:
            continue
        off = abs(s.frequency_hz / FREQUENCY_HZ - 1)
        doubt = (s.frequency_doubt_hz or 0.0) / FREQUENCY_HZ
        if off - doubt <= FREQUENCY_SOURCE_TOLERANCE:
            continue
        refused = off - doubt > FREQUENCY_VEHICLE_TOLERANCE
        low, high = FREQUENCY_HZ * (1 - FREQUENCY_SOURCE_TOLERANCE), FREQUENCY_HZ * (1 + FREQUENCY_SOURCE_TOLERANCE)
        accepts = FREQUENCY_VEHICLE_TOLERANCE.says
        after = f"beyond what a vehicle accepts ({accepts})" if refused else f"a vehicle still accepts it ({accepts})"
        text = f"The oscillation runs at {s.frequency_hz:.1f} Hz, out of the source tolerance; {after}."
        measured = f"{s.frequency_hz:.1f} Hz"
        yield Fact("fault" if refused else "suspect", text, s.start_s, s.end_s, measured, band(low, high, "Hz"))


def _changed(record: PilotRecord) -> Iterator[Fact]:
    for before, after in zip(offers(record)[:-1], offers(record)[1:], strict=True):
        if not offer_changed(before, after) or "A" in (before.state, after.state):
            continue
        told = [amps(s.advertised_current_a) if s.advertised_current_a else _duty(s) for s in (before, after)]
        text = f"The offer changed from {told[0]} to {told[1]} at {after.start_s:.2f} s."
        yield Fact("note", text, after.start_s, after.end_s, told[1], told[0])


def _lowered(record: PilotRecord) -> Iterator[Fact]:
    """A lower current offered while the vehicle asks, and kept for a while."""
    asked = [
        s for s in record.segments if s.state in ("C", "D") and s.advertised_current_a and s.offer_kind == "current"
    ]
    for before, after in pairwise(asked):
        first, then = before.advertised_current_a or 0.0, after.advertised_current_a or 0.0
        if offer_changed(before, after) and then < first and after.duration_s >= LOWERED_FOR_S:
            text = (
                f"At {after.start_s:.2f} s the post lowers its offer from {amps(first)} to {amps(then)} while the vehicle "
                f"asks, for {seconds(after.duration_s)} of what was captured: the post or the site's load control "
                "holds it back."
            )
            yield Fact("suspect", text, after.start_s, after.end_s, amps(then), amps(first))


def _no_offer(record: PilotRecord) -> Iterator[Fact]:
    waiting = [s for s in record.segments if s.state == "B" and not s.oscillating]
    total = sum(s.duration_s for s in waiting)
    if not waiting or not record.sees_oscillation or any(s.oscillating and s.state in "BCD" for s in record.segments):
        return
    text = (
        f"A vehicle is there (B) for {seconds(total)} and the post never oscillates: it waits for a card or the back end, "
        "or has nothing to offer."
    )
    severity: Severity = "suspect" if total >= PATIENCE_S else "note"
    yield Fact(severity, text, waiting[0].start_s, waiting[-1].end_s, "steady", "oscillation once authorised")


RULES: tuple[Rule[PilotRecord], ...] = (
    Rule(
        "offer",
        "offer",
        pilot_duty.IEC.source,
        "the current offered",
        _offer,
        favours_well=0.5,
        needs=Needs(rate_hz=8e3),
    ),
    Rule(
        "digital_communication",
        "offer",
        pilot_duty.IEC.source,
        "5 % and what it means",
        _digital,
        favours_well=0.5,
        needs=Needs(rate_hz=8e3),
    ),
    Rule(
        "duty_forbidden",
        "offer",
        pilot_duty.IEC.source,
        "a duty outside the table",
        _forbidden,
        breaks=("offer",),
        needs=Needs(rate_hz=20e3),
    ),
    Rule(
        "duty_at_the_edge",
        "offer",
        pilot_duty.IEC.source,
        "a duty that may be outside the table",
        _at_the_edge,
        favours_well=-0.5,
    ),
    Rule("duty_doubtful", "offer", MEASUREMENT, "what the sampling rate cannot tell", _doubtful),
    Rule(
        "frequency_out",
        "offer",
        FREQUENCY_SOURCE,
        "an oscillator off frequency",
        _frequency,
        breaks=("offer",),
        needs=Needs(seconds=0.1, rate_hz=10e3),
    ),
    Rule(
        "offer_changed",
        "offer",
        pilot_duty.IEC.source,
        "a lower or higher offer during the session",
        _changed,
        needs=Needs(rate_hz=20e3),
    ),
    Rule(
        "offer_lowered",
        "hold",
        pilot_duty.IEC.source,
        "a lower offer while the vehicle asks",
        _lowered,
        derates="suspect",
        favours_well=-3.0,
        needs=Needs(reached="request", rate_hz=20e3),
    ),
    Rule(
        "no_offer",
        "offer",
        SEQUENCES_SOURCE,
        "a vehicle that is left waiting",
        _no_offer,
        stalls=True,
        rank="waiting",
        needs=Needs(reached="pilot", seconds=PATIENCE_S),
    ),
)
