"""The chain from grid to cells: what is known of each part, and what each lets through at a moment.

One line of CAPS is one part's limit; the least of them is what a session should show. Expectation and ledger both read
this tuple.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any, Literal, NamedTuple

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from gladwire.core.power.limiters import LimiterKey
from gladwire.core.power.pack import (
    COLD_C,
    HOT_C,
    charging_v,
    nominal_v,
    open_circuit_v,
    share_at_soc,
    share_at_temperature,
)
from gladwire.core.signal.waveform import Floats
from gladwire.core.standards.supply import MAINS_V

Policy = Literal["equal", "first", "demand"]
# Mains, phase to neutral. Source: EN 50160:2010, nominal voltage, from memory.
Positive = Annotated[float | None, Field(gt=0, le=1e6, allow_inf_nan=False)]
Degrees = Annotated[float | None, Field(ge=-60, le=120, allow_inf_nan=False)]


class Context(BaseModel):
    """What is known of vehicle, post and what lies between; None is not known. Units are in the names.

    The keys of `./glad inspect --context` come first; the rest refine an expectation. vehicle_curve: (SoC, kW) of the
    vehicle warm at a post that gives more. neighbours: vehicles that share the cabinet now; share: how it divides;
    neighbour_kw: what each of them takes. adapter_supported: whether the vehicle knows the adapter.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    post_kw: Positive = None
    post_a: Positive = None
    post_v: Positive = None
    post_min_v: Positive = None
    announced_kw: Positive = None
    module_kw: Positive = None
    connector_a: Positive = None
    cable_a: Positive = None
    cable_code_a: Positive = None
    adapter_a_continuous: Positive = None
    adapter_a_peak: Positive = None
    grid_kw: Positive = None
    buffer_kwh: Annotated[float | None, Field(ge=0, le=1e6, allow_inf_nan=False)] = None
    pack_class_v: Annotated[float | None, Field(ge=48, le=1500, allow_inf_nan=False)] = None
    pack_kwh: Positive = None
    vehicle_kw: Positive = None
    vehicle_a: Positive = None
    converter_kw: Positive = None
    ac_phases: Annotated[int | None, Field(ge=1, le=3)] = None
    offer_a: Positive = None
    onboard_a: Positive = None
    onboard_phases: Annotated[int | None, Field(ge=1, le=3)] = None
    ambient_c: Degrees = None
    pack_c: Degrees = None

    vehicle_curve: tuple[tuple[float, float], ...] = ()
    cable_boost_a: Positive = None
    cable_boost_min: Positive = None
    adapter_supported: bool | None = None
    cabinet_kw: Positive = None
    neighbours: Annotated[int, Field(ge=0, le=50)] = 0
    neighbour_kw: Positive = None
    share: Policy = "equal"

    @property
    def is_ac(self) -> bool:
        """An on-board charger alone means AC only where no DC post is known."""
        dc = self.post_kw or self.post_a or self.post_v or self.connector_a or self.adapter_a_continuous
        return bool(self.ac_phases or self.offer_a or (self.onboard_a and not dc))

    @property
    def has_amps(self) -> bool:
        """Whether any rating in amperes on the post's side is known."""
        return any((self.post_a, self.connector_a, self.cable_a, self.adapter_a_continuous))

    @property
    def is_empty(self) -> bool:
        return self == Context()


class At(NamedTuple):
    """A moment, or many: volts at the connector, SoC in percent, seconds since power began, pack °C, kWh delivered.

    Each a number or an array of one shape (n,).
    """

    volts: Any
    soc: Any
    elapsed_s: Any
    pack_c: Any
    delivered_kwh: Any


class Cap(NamedTuple):
    """A limit of one part. kw: what it lets through, None where it is not known; says: its rating in words.

    healthy: whether a session without it is not to be expected; what comes and goes, and what was put between, is not.
    """

    limiter: LimiterKey
    part: str
    kw: Callable[[Context, At], Any]
    says: Callable[[Context], str]
    healthy: bool = True


def _amps(amps: float | None, at: At) -> Any:
    return None if amps is None else amps * at.volts * 1e-3


def _phases(context: Context, at: At) -> float:
    return (context.ac_phases or 1) * MAINS_V * 1e-3


def _taper(context: Context, at: At) -> Any:
    if context.vehicle_curve:
        soc, kw = zip(*sorted(context.vehicle_curve), strict=True)
        return np.interp(at.soc, soc, kw)
    if context.is_ac or context.vehicle_kw is None:
        return None
    return context.vehicle_kw * share_at_soc(at.soc)


def _temperature(context: Context, at: At, cold: bool) -> Any:
    peak = context.vehicle_kw or max((kw for _, kw in context.vehicle_curve), default=None)
    if peak is None or at.pack_c is None:
        return None
    share = share_at_temperature(at.pack_c)
    mine = np.asarray(at.pack_c) < COLD_C if cold else np.asarray(at.pack_c) > HOT_C
    return np.where(mine, peak * share, np.inf)


def needs_converter(context: Context, at: At) -> Any:
    """Where the pack's present volts are more than the post can give; a class stands for its volts where none are read."""
    if context.post_v is None or context.pack_class_v is None:
        return None
    return open_circuit_v(context.pack_class_v, at.soc) > context.post_v


def _converter(context: Context, at: At) -> Any:
    needs = needs_converter(context, at)
    if needs is None or context.converter_kw is None:
        return None
    return np.where(needs, context.converter_kw, np.inf)


def _voltage(context: Context, at: At) -> Any:
    needs = needs_converter(context, at)
    closed = np.zeros(1, dtype=bool) if needs is None or context.converter_kw is not None else needs
    if context.post_min_v is not None and context.pack_class_v is not None:
        closed = closed | (open_circuit_v(context.pack_class_v, at.soc) < context.post_min_v)
    elif needs is None:
        return None
    return np.where(closed, 0.0, np.inf)


def _offer(context: Context, at: At) -> Any:
    return None if context.offer_a is None else context.offer_a * _phases(context, at)


def _code(context: Context, at: At) -> Any:
    return None if context.cable_code_a is None or not context.is_ac else context.cable_code_a * _phases(context, at)


def _onboard(context: Context, at: At) -> Any:
    if context.onboard_a is None or not context.is_ac:
        return None
    phases = min(context.onboard_phases or 3, context.ac_phases or context.onboard_phases or 1)
    return context.onboard_a * phases * MAINS_V * 1e-3


def _cable(context: Context, at: At) -> Any:
    if context.cable_a is None or context.is_ac:
        return None
    amps: Any = context.cable_a
    if context.cable_boost_a is not None and context.cable_boost_min is not None:
        amps = np.where(np.asarray(at.elapsed_s) < 60.0 * context.cable_boost_min, context.cable_boost_a, amps)
    return amps * at.volts * 1e-3


def _adapter(context: Context, at: At) -> Any:
    if context.adapter_supported is False:
        return np.zeros(1)
    return _amps(context.adapter_a_continuous, at)


def _shared(context: Context, at: At) -> Any:
    """What a cabinet leaves for this stall beside its neighbours, in whole modules where their size is known.

    equal: an even part, and what neighbours leave of theirs; first: what those before it leave, each taken at its post's full
    power where its own is not known; demand: in proportion to what each wants.
    """
    if context.cabinet_kw is None or not context.neighbours:
        return None
    cabinet, others, theirs = context.cabinet_kw, context.neighbours, context.neighbour_kw
    if context.share == "first" and theirs is None and context.post_kw is None and context.announced_kw is None:
        return None  # what those before it take is not known at all
    if context.share == "first":
        left = max(cabinet - others * (theirs if theirs is not None else _full_kw(context)), 0.0)
    elif context.share == "demand":
        mine = min(_full_kw(context), context.vehicle_kw or cabinet)
        left = mine * min(1.0, cabinet / (mine + others * (theirs if theirs is not None else mine)))
    else:
        even = cabinet / (others + 1)
        left = max(even, cabinet - others * min(theirs, even)) if theirs is not None else even
    if context.module_kw:
        left = np.floor(left / context.module_kw + 1e-9) * context.module_kw
    return left


def _full_kw(context: Context) -> float:
    """The most a stall of this cabinet gives, as far as is known."""
    return min(context.post_kw or context.announced_kw or np.inf, context.cabinet_kw or np.inf)


_POLICY_WORDS = {"equal": "divided evenly", "first": "first come, first served", "demand": "divided by demand"}


def _cable_words(c: Context) -> str:
    boost = c.cable_boost_a is not None and c.cable_boost_min is not None
    return f"cable {c.cable_a:g} A{f', boost {c.cable_boost_a:g} A for {c.cable_boost_min:g} min' if boost else ''}"


def _sharing_words(c: Context) -> str:
    who = f"{c.neighbours} more on {c.cabinet_kw:g} kW, {_POLICY_WORDS[c.share]}"
    if c.neighbour_kw is not None or c.share == "equal":
        return who
    return f"{who}, each taken at {'its post in full' if c.share == 'first' else 'as much as this one'}"


def _supply(context: Context, at: At) -> Any:
    """The site's supply, helped by its buffer battery until that has given what it holds."""
    if context.grid_kw is None:
        return None
    if not context.buffer_kwh:
        return context.grid_kw
    hours = np.asarray(at.elapsed_s) / 3600.0
    given = np.asarray(at.delivered_kwh) - context.grid_kw * hours
    return np.where(given < context.buffer_kwh, np.inf, context.grid_kw)


CAPS: tuple[Cap, ...] = (
    Cap("vehicle_taper", "vehicle", _taper, lambda c: "its own curve" if c.vehicle_curve else "usual fall towards full"),
    Cap("vehicle_cold", "vehicle", lambda c, at: _temperature(c, at, True), lambda c: "cold pack", False),
    Cap("vehicle_hot", "vehicle", lambda c, at: _temperature(c, at, False), lambda c: "hot pack", False),
    Cap("vehicle_converter", "vehicle", _converter, lambda c: f"converter {c.converter_kw:g} kW, post {c.post_v:g} V"),
    Cap("vehicle_limit", "vehicle", lambda c, at: c.vehicle_kw, lambda c: f"vehicle {c.vehicle_kw:g} kW"),
    Cap("vehicle_limit", "vehicle", lambda c, at: _amps(c.vehicle_a, at), lambda c: f"vehicle {c.vehicle_a:g} A"),
    Cap("vehicle_limit", "vehicle", _onboard, lambda c: f"on-board charger {c.onboard_a:g} A"),
    Cap("evse_current", "post", lambda c, at: _amps(c.post_a, at), lambda c: f"post {c.post_a:g} A"),
    Cap("evse_current", "post", _offer, lambda c: f"offer {c.offer_a:g} A"),
    Cap("evse_power", "post", lambda c, at: c.post_kw or c.announced_kw,
        lambda c: f"post {c.post_kw or c.announced_kw:g} kW"),
    Cap("evse_voltage", "post", _voltage, lambda c: "post's voltage window"),
    Cap("cable_rating", "connector", lambda c, at: _amps(c.connector_a, at), lambda c: f"connector {c.connector_a:g} A"),
    Cap("cable_rating", "cable", _cable, _cable_words),
    Cap("cable_rating", "cable", _code, lambda c: f"cable coded {c.cable_code_a:g} A", False),
    Cap("adapter", "adapter", _adapter, lambda c: f"adapter {c.adapter_a_continuous:g} A continuous"
        if c.adapter_a_continuous else "adapter the vehicle does not know", False),
    Cap("shared_cabinet", "cabinet", _shared, _sharing_words, False),
    Cap("site_supply", "site", _supply, lambda c: f"site supply {c.grid_kw:g} kW", False),
)  # fmt: skip
PARTS = ("site", "cabinet", "post", "cable", "connector", "adapter", "vehicle")


def connector_v(context: Context, soc: Any, kw: Any = 0.0) -> Any:
    """Volts at the connector: of the pack where its class is known, never above what the post gives; else the post's.

    Mains for AC. None where neither is known.
    """
    if context.is_ac:
        return MAINS_V
    if context.pack_class_v is None:
        return None
    rate = 0.0 if context.pack_kwh is None else np.asarray(kw) / context.pack_kwh
    volts = charging_v(context.pack_class_v, soc, rate)
    return volts if context.post_v is None else np.minimum(volts, context.post_v)


def caps_at(context: Context, at: At) -> list[tuple[Cap, Floats]]:
    """(limit, kW it lets through, at least shape (1,)) of every part that is known. Amperes need volts to become kW."""
    found = []
    for cap in CAPS:
        if at.volts is None and cap.kw(context, at._replace(volts=1.0)) is not None and _needs_volts(cap, context):
            continue
        kw = cap.kw(context, at)
        if kw is not None:
            found.append((cap, np.atleast_1d(np.asarray(kw, dtype=np.float64))))
    return found


def _needs_volts(cap: Cap, context: Context) -> bool:
    one, two = (cap.kw(context, At(v, 50.0, 0.0, context.pack_c, 0.0)) for v in (1.0, 2.0))
    return bool(np.any(np.asarray(one) != np.asarray(two)))


class Nameplate(NamedTuple):
    """What a label in kW means at a pack's volts. needed_a: amperes the label would take there."""

    label_kw: float
    volts: float
    possible_kw: float
    needed_a: float


def nameplate(context: Context, volts: float | None = None) -> Nameplate | None:
    """The truth of a label at a pack's present volts, or its class's nominal ones; None where too little is known."""
    label = context.announced_kw or context.post_kw
    at = volts or (nominal_v(context.pack_class_v) if context.pack_class_v else None)
    if label is None or at is None:
        return None
    amps = [a for a in (context.post_a, context.connector_a, context.cable_a, context.adapter_a_continuous) if a]
    possible = min([label, *([context.post_kw] if context.post_kw else []), *(a * at * 1e-3 for a in amps)])
    return Nameplate(label, at, possible, label * 1e3 / at)
