"""What a vehicle should draw here: the chain followed from start to target, minutes, kWh, the limit that binds, and what
would change it most."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import groupby
from typing import NamedTuple

import numpy as np

from gladwire.core.power.chain import CAPS, At, Context, caps_at, connector_v
from gladwire.core.power.limiters import BY_KEY, LimiterKey
from gladwire.core.signal.waveform import Floats

# A ramp as it usually is (common practice), from nothing to the level.
RAMP_S = 70.0
_RAMP_STEP_S, _SOC_STEP, _LONGEST_STEP_S = 5.0, 0.5, 30.0
_LEAST_KW, _LONGEST_S = 0.3, 48 * 3600.0
# Share of the power that warms the pack, and kJ to warm a kWh of pack by 1 K: common practice.
_WARMS, _HEAT_KJ_PER_K_KWH = 0.04, 5.6


@dataclass(frozen=True)
class Expectation:
    """time_s, soc (%), power_kw, volts_v, amps_a: shape (n,). limiters: what binds at each, n of them.

    minutes, energy_kwh: from start to target, ramp included; reached_soc: where it ends when power dies before.
    """

    time_s: Floats
    soc: Floats
    power_kw: Floats
    volts_v: Floats
    limiters: tuple[LimiterKey, ...]
    minutes: float
    energy_kwh: float
    reached_soc: float
    pack_c: Floats

    @property
    def amps_a(self) -> Floats:
        return self.power_kw * 1e3 / self.volts_v

    @property
    def average_kw(self) -> float:
        return self.energy_kwh * 60.0 / self.minutes if self.minutes else 0.0


@dataclass(frozen=True)
class Bound:
    """A limiter over a stretch of charge in %, and how long it takes."""

    title: str
    limiter: str
    from_soc: float
    to_soc: float
    minutes: float


class Link(NamedTuple):
    """One part's capability at a moment: kW, what it is, and whether it is the narrowest."""

    part: str
    limiter: LimiterKey
    kw: float
    says: str
    narrowest: bool


def missing_for(context: Context) -> tuple[str, ...]:
    """What has to be known before anything can be expected, in words."""
    missing = []
    if context.pack_kwh is None:
        missing.append("the pack's usable kWh")
    if not context.is_ac and context.pack_class_v is None:
        missing.append("the pack's class in volts")
    caps = {cap.limiter for cap in CAPS if cap.kw(context, At(1.0, 50.0, 0.0, None, 0.0)) is not None}
    if not caps & {"evse_power", "evse_current"}:
        missing.append("what the post gives (kW, amperes, or the offer)")
    if not caps & {"vehicle_limit", "vehicle_taper", "vehicle_converter"}:
        missing.append("what the vehicle takes (kW, amperes, its curve, or its on-board charger)")
    return tuple(missing)


def _moment(context: Context, soc: float, elapsed_s: float, pack_c: float | None, kwh: float, kw: float) -> At:
    return At(connector_v(context, soc, kw), soc, elapsed_s, pack_c, kwh)


def chain_at(context: Context, soc: float, elapsed_s: float = 600.0) -> tuple[Link, ...]:
    """Every known part's capability at a state of charge, narrowest marked; in the order grid to cells."""
    found = _links(context, _moment(context, soc, elapsed_s, context.pack_c, 0.0, 0.0))
    least = min((link.kw for link in found), default=0.0)
    marked = False
    told = []
    for link in found:
        narrow = link.kw == least and not marked
        marked = marked or narrow
        told.append(link._replace(narrowest=narrow))
    return tuple(told)


def _links(context: Context, at: At) -> list[Link]:
    return [
        Link(cap.part, cap.limiter, float(kw[0]), cap.says(context), False)
        for cap, kw in caps_at(context, at)
        if np.isfinite(kw[0])
    ]


def expect(context: Context, start_soc: float, target_soc: float, ramp_s: float = RAMP_S) -> Expectation:
    """Follow a session. Raises ValueError where too little is known, or the target is not above the start."""
    missing = missing_for(context)
    if missing:
        raise ValueError(f"nothing can be expected without {', '.join(missing)}")
    if not 0.0 <= start_soc < target_soc <= 100.0:
        raise ValueError("the target has to lie above the start, both from 0 to 100 %")
    pack_kwh = context.pack_kwh or 1.0
    rows: list[tuple[float, float, float, float, float]] = []
    limiters: list[LimiterKey] = []
    at, soc, kwh, kw, pack_c = 0.0, start_soc, 0.0, 0.0, context.pack_c
    while soc < target_soc - 1e-9 and at < _LONGEST_S:
        moment = _moment(context, soc, at, pack_c, kwh, kw)
        binds = min(_links(context, moment), key=lambda link: link.kw)
        kw, limiter = binds.kw, binds.limiter
        ramps = at < ramp_s
        if ramps:
            kw, limiter = kw * at / ramp_s, "ramp"
        rows.append((at, soc, kw, float(moment.volts), pack_c if pack_c is not None else np.nan))
        limiters.append(limiter)
        if not ramps and kw < _LEAST_KW:
            break
        to_go = (target_soc - soc) / 100.0 * pack_kwh
        if ramps:
            step = _RAMP_STEP_S
            now = kw + 0.5 * binds.kw * step / ramp_s
        else:
            now = kw
            step = min(_LONGEST_STEP_S, _SOC_STEP / 100.0 * pack_kwh / kw * 3600.0)
        step = min(step, to_go / now * 3600.0) if now > 0 else step
        kwh += now * step / 3600.0
        soc = start_soc + 100.0 * kwh / pack_kwh
        at += step
        if pack_c is not None:
            pack_c += now * _WARMS * step / (_HEAT_KJ_PER_K_KWH * pack_kwh) if pack_c < 40.0 else 0.0
    moment = _moment(context, soc, at, pack_c, kwh, kw)
    rows.append((at, soc, kw, float(moment.volts), pack_c if pack_c is not None else np.nan))
    limiters.append(limiters[-1])
    table = np.array(rows)
    return Expectation(
        table[:, 0], table[:, 1], table[:, 2], table[:, 3], tuple(limiters), at / 60.0, kwh, soc, table[:, 4]
    )


class Change(NamedTuple):
    """Something that could be otherwise. otherwise: the context then, None where it would change nothing."""

    words: str
    otherwise: Callable[[Context], Context | None]


def _with(context: Context, **values: object) -> Context:
    return context.model_copy(update=values)


CHANGES: tuple[Change, ...] = (
    Change(
        "a warm pack (25 °C)",
        lambda c: _with(c, pack_c=25.0) if c.pack_c is not None and not 25 <= c.pack_c <= 45 else None,
    ),
    Change("a stall no neighbour shares", lambda c: _with(c, neighbours=0) if c.neighbours and c.cabinet_kw else None),
    Change(
        "one neighbour more on the cabinet", lambda c: _with(c, neighbours=c.neighbours + 1) if c.cabinet_kw else None
    ),
    Change("a post of twice the power", lambda c: _with(c, post_kw=2 * c.post_kw) if c.post_kw else None),
    Change("a post of 500 A", lambda c: _with(c, post_a=500.0) if c.post_a and c.post_a < 500 else None),
    Change("a post up to 1000 V", lambda c: _with(c, post_v=1000.0) if c.post_v and c.post_v < 1000 else None),
    Change(
        "cable and connector for 500 A",
        lambda c: (
            _with(c, cable_a=max(c.cable_a or 500, 500), connector_a=max(c.connector_a or 500, 500))
            if min(c.cable_a or 500, c.connector_a or 500) < 500
            else None
        ),
    ),
    Change(
        "no adapter",
        lambda c: (
            _with(c, adapter_a_continuous=None, adapter_supported=None)
            if c.adapter_a_continuous or c.adapter_supported is False
            else None
        ),
    ),
    Change(
        "another hour, the site's supply free", lambda c: _with(c, grid_kw=None, buffer_kwh=None) if c.grid_kw else None
    ),
    Change("three phases", lambda c: _with(c, ac_phases=3) if c.is_ac and (c.ac_phases or 1) < 3 else None),
    Change(
        "a lead coded 32 A", lambda c: _with(c, cable_code_a=32.0) if c.cable_code_a and c.cable_code_a < 32 else None
    ),
)


class Sensitivity(NamedTuple):
    """minutes: by which the session would be shorter (negative: longer) if this were otherwise."""

    words: str
    minutes: float
    average_kw: float


def sensitivity(context: Context, start_soc: float, target_soc: float) -> tuple[Sensitivity, ...]:
    """What would change the session most, by minutes. Raises as `expect` does."""
    base = expect(context, start_soc, target_soc)
    found = []
    for change in CHANGES:
        other = change.otherwise(context)
        if other is None:
            continue
        then = expect(other, start_soc, target_soc)
        if then.reached_soc < target_soc - 0.5 or base.reached_soc < target_soc - 0.5:
            if then.reached_soc - base.reached_soc > 0.5:
                found.append(
                    Sensitivity(f"{change.words} (else it stops at {base.reached_soc:.0f} %)", np.inf, then.average_kw)
                )
            continue
        if abs(base.minutes - then.minutes) >= 0.1:
            found.append(Sensitivity(change.words, base.minutes - then.minutes, then.average_kw))
    return tuple(sorted(found, key=lambda one: -abs(one.minutes)))


def bounds(found: Expectation) -> list[Bound]:
    """What binds, one after the other."""
    told = []
    for limiter, group in groupby(range(len(found.limiters)), key=lambda i: found.limiters[i]):
        inside = list(group)
        last = min(inside[-1] + 1, len(found.limiters) - 1)
        minutes = float(found.time_s[last] - found.time_s[inside[0]]) / 60.0
        told.append(Bound(BY_KEY[limiter].title, limiter, float(found.soc[inside[0]]), float(found.soc[last]), minutes))
    return told
