"""Two captures laid over each other: where to align them, and what differs, named with what would explain it.

A difference counts where it is larger than both measurements' doubt and than what two healthy posts or leads differ by
anyway (common practice, no source).
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from typing import Literal, NamedTuple

from pydantic import BaseModel, ConfigDict

from gladwire.core.calculations.pilot_circuit import capacitance_nf, series_resistance_ohm
from gladwire.core.lanes.all import SETTLED_ROLES
from gladwire.core.lanes.mains.record import MainsRecord
from gladwire.core.lanes.pilot.record import PilotRecord, Segment
from gladwire.core.measured import Measured
from gladwire.core.words import ohms, seconds

Anchor = Literal["plug_in", "offer", "request", "end", "start"]
ANCHOR_WORDS: Mapping[Anchor, str] = {
    "request": "the vehicle's request",
    "offer": "the offer",
    "plug_in": "the plug-in",
    "end": "the end of the request",
    "start": "the start of both files",
}


class Quantity(NamedTuple):
    """A measured value of a segment that is compared. apart: what healthy ones differ by anyway."""

    field: str
    words: str
    unit: str
    apart: float
    digits: int


_QUANTITIES = (
    Quantity("high_v", "high side", "V", 0.25, 2),
    Quantity("low_v", "low side", "V", 0.35, 2),
    Quantity("duty_percent", "duty", "%", 0.5, 2),
    Quantity("frequency_hz", "frequency", "Hz", 5.0, 1),
    Quantity("rise_us", "rise 10 to 90 %", "µs", 1.5, 1),
    Quantity("fall_us", "fall 90 to 10 %", "µs", 2.0, 1),
)
# People, cards and back ends differ by seconds; machines answer within one.
_TIMING_APART_S = 1.0


class Difference(BaseModel):
    """One compared value. a, b: as measured, None where one side does not show it; at_a_s, at_b_s: where to look.

    below: sides whose value is only known to be smaller than this, as its sampling cannot resolve it.
    """

    model_config = ConfigDict(frozen=True)

    where: str
    what: str
    a: float | None
    b: float | None
    unit: str
    digits: int
    differs: bool
    text: str = ""
    at_a_s: float | None = None
    at_b_s: float | None = None
    below: tuple[Literal["a", "b"], ...] = ()


def anchors(record: PilotRecord) -> dict[Anchor, float]:
    """Moments at which two sessions can be laid over each other, in seconds of the file."""
    found: dict[Anchor, float] = {}
    for before, after in itertools.pairwise(record.segments):
        at = after.start_s
        if before.state == "A" and after.state in ("B", "C", "D"):
            found.setdefault("plug_in", at)
        if after.oscillating and not before.oscillating and after.state != "A":
            found.setdefault("offer", at)
        if after.state in ("C", "D") and before.state not in ("C", "D"):
            found.setdefault("request", at)
        if before.state in ("C", "D") and after.state == "B":
            found["end"] = at
    found["start"] = record.start_s
    return found


def common_anchors(a: PilotRecord, b: PilotRecord) -> tuple[Anchor, ...]:
    """Anchors both show, the most telling first."""
    ours, theirs = anchors(a), anchors(b)
    return tuple(name for name in ANCHOR_WORDS if name in ours and name in theirs)


def compare(a: Measured, b: Measured) -> tuple[Difference, ...]:
    """What can be compared, differences first. Raises ValueError where either capture has no pilot."""
    ours, theirs = a.first(PilotRecord), b.first(PilotRecord)
    if ours is None or theirs is None:
        raise ValueError("both captures need a pilot to be compared")
    mains = a.first(MainsRecord), b.first(MainsRecord)
    found = [*_levels(ours, theirs), *_timing(anchors(ours), anchors(theirs), mains), *_mains(mains)]
    order = {q.words: n for n, q in enumerate(_QUANTITIES)}
    return tuple(sorted(found, key=lambda d: (not d.differs, order.get(d.what, -1))))


def _longest(record: PilotRecord) -> dict[str, Segment]:
    """The longest stretch of every state, by its label."""
    found: dict[str, Segment] = {}
    for s in record.segments:
        if s.state != "unknown" and (s.label not in found or s.duration_s > found[s.label].duration_s):
            found[s.label] = s
    return found


def _levels(a: PilotRecord, b: PilotRecord) -> Iterator[Difference]:
    ours, theirs = _longest(a), _longest(b)
    trusted = a.interpretation.levels_trusted and b.interpretation.levels_trusted
    for label in sorted(ours.keys() | theirs.keys()):
        s, t = ours.get(label), theirs.get(label)
        if s is None or t is None:
            only = "first" if t is None else "second"
            seen = s or t
            assert seen is not None
            text = f"Only the {only} shows {label}, for {seconds(seen.duration_s)}."
            yield Difference(
                where=label,
                what="state",
                a=s.duration_s if s else None,
                b=t.duration_s if t else None,
                unit="s",
                digits=1,
                differs=True,
                text=text,
                at_a_s=s.start_s if s else None,
                at_b_s=t.start_s if t else None,
            )
            continue
        for quantity in _QUANTITIES:
            if quantity.unit == "V" and not trusted:
                continue
            difference = _between(label, quantity, s, t)
            if difference:
                yield difference


def _between(label: str, q: Quantity, s: Segment, t: Segment) -> Difference | None:
    x, y = _value(q, s), _value(q, t)
    if x is None or y is None or (q.field == "low_v" and not s.oscillating):
        return None
    if getattr(s, q.field) is None and getattr(t, q.field) is None:
        return None
    doubt = _doubt(q, s) + _doubt(q, t)
    differs = abs(y - x) > q.apart + doubt
    text = _explained(q, s, t) if differs else ""
    sides: tuple[tuple[Literal["a", "b"], Segment], ...] = (("a", s), ("b", t))
    return Difference(
        where=label,
        what=q.words,
        a=x,
        b=y,
        unit=q.unit,
        digits=q.digits,
        differs=differs,
        text=text,
        at_a_s=s.start_s,
        at_b_s=t.start_s,
        below=tuple(side for side, segment in sides if getattr(segment, q.field) is None),
    )


def _value(q: Quantity, s: Segment) -> float | None:
    """As measured; for an edge too quick for the sampling, what it is surely shorter than."""
    measured: float | None = getattr(s, q.field)
    return s.edge_below_us if measured is None and q.unit == "µs" else measured


def _doubt(q: Quantity, s: Segment) -> float:
    named = {"duty_percent": s.duty_doubt_percent, "frequency_hz": s.frequency_doubt_hz}
    return s.level_doubt_v if q.unit == "V" else named.get(q.field) or 0.0


def _explained(q: Quantity, s: Segment, t: Segment) -> str:
    x, y = _value(q, s) or 0.0, _value(q, t) or 0.0
    lies = "lies higher" if y > x else "lies lower"
    change = f"{s.label}, {q.words}: the second {lies} by {abs(y - x):.{q.digits}f} {q.unit}"
    if q.field == "high_v" and s.state in ("B", "C", "D"):
        more = [series_resistance_ohm(s.state, v) or 0.0 for v in (x, y)]
        if abs(more[1] - more[0]) > 20:
            which = "second" if more[1] > more[0] else "first"
            return f"{change}, as {ohms(abs(more[1] - more[0]))} more in the CP or PE path of the {which} would do."
    bounded = getattr(s, q.field) is None or getattr(t, q.field) is None
    if q.field == "fall_us" and bounded:
        return f"{change} or more; the other's edge is too quick for its sampling."
    if q.field == "fall_us":
        more = [capacitance_nf(v) for v in (x, y)]
        which = "second" if more[1] > more[0] else "first"
        return f"{change}, as {abs(more[1] - more[0]):.1f} nF more on the {which} would do."
    if q.field == "low_v" and y > x:
        return f"{change}: a diode that conducts both ways, or a weak source, in the second."
    if q.field == "duty_percent" and s.advertised_current_a and t.advertised_current_a:
        return f"{change}: {s.advertised_current_a:.1f} A offered against {t.advertised_current_a:.1f} A."
    return f"{change}."


_STEPS: tuple[tuple[str, Anchor, Anchor], ...] = (
    ("plug-in to offer", "plug_in", "offer"),
    ("offer to request", "offer", "request"),
    ("request to its end", "request", "end"),
)


_Mains = tuple[MainsRecord | None, MainsRecord | None]


def _timing(ours: Mapping[Anchor, float], theirs: Mapping[Anchor, float], mains: _Mains) -> Iterator[Difference]:
    for words, first, last in _STEPS:
        x, y = (at[last] - at[first] if first in at and last in at else None for at in (ours, theirs))
        yield from _timed("timing", words, x, y, ours.get(first), theirs.get(first))
    if None in mains:
        return
    answers = [_answer(one, at.get("request")) for one, at in zip(mains, (ours, theirs), strict=True)]
    yield from _timed("timing", "request to mains", answers[0], answers[1], ours.get("request"), theirs.get("request"))


def _answer(mains: MainsRecord | None, request_s: float | None) -> float | None:
    """Seconds from the request to the mains that answers it."""
    if request_s is None or mains is None:
        return None
    return next((v.start_s - request_s for v in mains.volts if v.end_s > request_s), None)


def _timed(
    where: str, words: str, x: float | None, y: float | None, at_a: float | None, at_b: float | None
) -> Iterator[Difference]:
    if x is None and y is None:
        return
    differs = x is None or y is None or abs(x - y) > _TIMING_APART_S
    text = ""
    if differs:
        times = ["never" if v is None else f"after {seconds(max(v, 0.0))}" for v in (x, y)]
        text = f"{words[0].upper()}{words[1:]}: {times[0]} in the first, {times[1]} in the second."
    yield Difference(
        where=where,
        what=words,
        a=x,
        b=y,
        unit="s",
        digits=2,
        differs=differs,
        text=text,
        at_a_s=at_a,
        at_b_s=at_b,
    )


def _mains(mains: _Mains) -> Iterator[Difference]:
    for words, pick, unit, share in (("voltage", "volts", "V", 0.03), ("current", "amps", "A", 0.08)):
        spans = [max(getattr(m, pick), key=lambda s: s.duration_s, default=None) if m else None for m in mains]
        s, t = spans
        if s is None or t is None:
            continue
        differs = abs(t.rms - s.rms) > share * max(s.rms, t.rms)
        text = f"Mains {words}: {s.rms:.1f} {unit} in the first, {t.rms:.1f} {unit} in the second." if differs else ""
        yield Difference(
            where="mains",
            what=words,
            a=s.rms,
            b=t.rms,
            unit=unit,
            digits=1,
            differs=differs,
            text=text,
            at_a_s=s.start_s,
            at_b_s=t.start_s,
        )


def shared_channels(a: Measured, b: Measured) -> Sequence[tuple[int, int]]:
    """Pairs of channels of one role that both captures have, the pilots first; numbers of a's and b's channels."""
    pairs = []
    for role in SETTLED_ROLES[:-1]:
        ours = [n for n, c in enumerate(a.channels) if c.role == role]
        theirs = [n for n, c in enumerate(b.channels) if c.role == role]
        pairs += list(zip(ours, theirs, strict=False))
    return pairs
