"""Numbers said in the charge loop as lanes: what the vehicle asks, what the post gives, and the limits of both."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gladwire.core.lanes.frames.connection import CapturedMessage
from gladwire.core.plc.exi.fields import Fields
from gladwire.core.signal.waveform import Waveform
from gladwire.core.signal.zero_order_hold import zero_order_hold
from gladwire.core.standards.v2g_codes import FIELDS_20

RATE_HZ = 20.0
# A value said longer ago than this is no longer the present one.
_HELD_S = 2.0


class Series(NamedTuple):
    """One lane. quantity: of a power record; field: the name that carries it, as DIN and ISO 15118-2 spell it; factor: what
    makes its unit of the field's."""

    quantity: str
    title: str
    unit: str
    field: str
    factor: float = 1.0


SERIES: tuple[Series, ...] = (
    Series("volts_v", "Volts the post gives", "V", "EVSEPresentVoltage"),
    Series("asked_v", "Volts the vehicle asks", "V", "EVTargetVoltage"),
    Series("amps_a", "Amperes the post gives", "A", "EVSEPresentCurrent"),
    Series("asked_a", "Amperes the vehicle asks", "A", "EVTargetCurrent"),
    Series("post_max_a", "Amperes the post allows", "A", "EVSEMaximumCurrentLimit"),
    Series("post_max_kw", "Power the post allows", "kW", "EVSEMaximumPowerLimit", 1e-3),
    Series("post_max_v", "Volts the post allows", "V", "EVSEMaximumVoltageLimit"),
    Series("vehicle_max_a", "Amperes the vehicle can take", "A", "EVMaximumCurrentLimit"),
    Series("vehicle_max_kw", "Power the vehicle can take", "kW", "EVMaximumPowerLimit", 1e-3),
    Series("soc_percent", "State of charge", "%", "EVRESSSOC"),
    Series("power_kw", "Power the vehicle takes", "kW", "EVPresentActivePower", 1e-3),
)


# Where the charge loop carries its numbers; limits told before it are no lane.
_LOOP_PARENTS = ("DC_EVStatus", "DisplayParameters")
_PHASES = ("_L2", "_L3")
_NUMBER = {name: n for n, s in enumerate(SERIES) for name in (s.field, FIELDS_20.get(s.field, s.field))}


def series_of(messages: Sequence[CapturedMessage], end_s: float) -> tuple[Waveform, ...]:
    """Lanes of all messages of a capture, held between what was said and empty where nothing was for long."""
    columns: list[tuple[list[float], list[float]]] = [([], []) for _ in SERIES]
    known: dict[int, list[tuple[int, float]]] = {}
    for captured in messages:
        found = known.get(id(captured.message.fields))
        if found is None:
            found = known[id(captured.message.fields)] = _values(captured.message.fields)
        for number, value in found:
            columns[number][0].append(captured.time_s)
            columns[number][1].append(value)
    return tuple(
        zero_order_hold(
            s.title, s.unit, np.array(times), s.factor * np.array(values, dtype=np.float64), end_s, RATE_HZ, _HELD_S
        )
        for s, (times, values) in zip(SERIES, columns, strict=True)
        if len(times) > 1
    )


def _values(fields: Fields) -> list[tuple[int, float]]:
    """(number of the series, value) of what a message says."""
    found: dict[int, float] = {}
    for path, value in fields.items():
        place = _PLACES.get(path)
        if place is None:
            place = _PLACES[path] = _place(path)
        number, adds = place
        if number >= 0 and value is not None:
            found[number] = found[number] + value if adds and number in found else value
    return list(found.items())


def _place(path: str) -> tuple[int, bool]:
    """(number of the series a path belongs to, -1 for none; whether it adds to another phase)."""
    parent, _, name = path.rpartition(".")
    if parent and parent not in _LOOP_PARENTS and not parent.endswith("ControlMode"):
        return -1, False
    adds = name.endswith(_PHASES)
    return _NUMBER.get(name[:-3] if adds else name, -1), adds


# What was worked out of a path before; there are as many as the schemas have fields.
_PLACES: dict[str, tuple[int, bool]] = {}
