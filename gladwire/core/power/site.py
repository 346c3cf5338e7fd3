"""A site as it stands: cabinets, the stalls they feed, how they divide, and vehicles that arrive."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, NamedTuple

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from gladwire.core.power.chain import Context, Policy
from gladwire.core.power.equipment import feeds_of
from gladwire.core.power.expect import RAMP_S, chain_at, expect, missing_for
from gladwire.core.signal.waveform import Floats

_STEP_S = 5.0
# A target this near, in points of charge, is reached.
_REACHED_SOC = 0.5


class Cabinet(BaseModel):
    """kw: what it has in all; module_kw: the steps it can divide by, 0 for any."""

    model_config = ConfigDict(frozen=True)

    key: str
    kw: Annotated[float, Field(gt=0)]
    module_kw: Annotated[float, Field(ge=0)] = 0.0
    policy: Policy = "equal"


class Stall(BaseModel):
    """A place to plug in. cabinets: keys of what feeds it, asked in this order; kw, amps, volts: of its post."""

    model_config = ConfigDict(frozen=True)

    key: str
    cabinets: tuple[str, ...]
    kw: Annotated[float, Field(gt=0)]
    amps: float | None = None
    volts: float | None = None


class Arrival(BaseModel):
    """A vehicle that plugs in at a stall at_s seconds after the beginning."""

    model_config = ConfigDict(frozen=True)

    stall: str
    at_s: float
    vehicle: Context
    start_soc: float
    target_soc: float = 80.0


@dataclass(frozen=True)
class Visit:
    """What one vehicle got: times since it plugged in, shape (n,), and kW, SoC. done: whether it reached its target."""

    arrival: Arrival
    time_s: Floats
    power_kw: Floats
    soc: Floats
    done: bool


def divide(cabinet: Cabinet, wanted: Sequence[float]) -> list[float]:
    """kW for each vehicle of a cabinet, in the order they came; never more than wanted, nor in all than there is.

    equal: everybody's part is the same, and what one leaves is passed on; first: whoever came first takes all it wants;
    demand: in proportion to what each wants. Whole modules where they have a size, given to who is farthest below.
    """
    total = sum(wanted)
    if not wanted:
        return []
    if total <= cabinet.kw and not cabinet.module_kw:
        return list(wanted)
    if cabinet.policy == "first":
        parts, left = [], cabinet.kw
        for want in wanted:
            parts.append(min(want, left))
            left -= parts[-1]
    elif cabinet.policy == "demand":
        parts = [want * min(1.0, cabinet.kw / total) if total else 0.0 for want in wanted]
    else:
        parts = _equally(cabinet.kw, wanted)
    return _in_modules(cabinet, wanted, parts) if cabinet.module_kw else parts


def _equally(kw: float, wanted: Sequence[float]) -> list[float]:
    parts = [0.0] * len(wanted)
    open_, left = set(range(len(wanted))), kw
    while open_:
        fair = left / len(open_)
        full = {i for i in open_ if wanted[i] <= fair}
        if not full:
            for i in open_:
                parts[i] = fair
            break
        for i in full:
            parts[i] = wanted[i]
            left -= wanted[i]
        open_ -= full
    return parts


def _in_modules(cabinet: Cabinet, wanted: Sequence[float], parts: Sequence[float]) -> list[float]:
    """Modules belong to one vehicle each: whole ones down from the fair part, spare ones to who lacks most."""
    modules = [math.floor(part / cabinet.module_kw + 1e-9) for part in parts]
    spare = math.floor(cabinet.kw / cabinet.module_kw + 1e-9) - sum(modules)
    while spare > 0:
        lacks = [want - m * cabinet.module_kw for want, m in zip(wanted, modules, strict=True)]
        worst = max(range(len(lacks)), key=lambda i: lacks[i])
        if lacks[worst] <= 1e-9:
            break
        modules[worst] += 1
        spare -= 1
    return [min(want, m * cabinet.module_kw) for want, m in zip(wanted, modules, strict=True)]


def play_site(
    cabinets: Sequence[Cabinet], stalls: Sequence[Stall], arrivals: Sequence[Arrival], hours: float = 3.0
) -> tuple[Visit, ...]:
    """Every vehicle's session while cabinets divide. Raises KeyError for a stall or cabinet that does not exist."""
    by_stall = {stall.key: stall for stall in stalls}
    by_cabinet = {cabinet.key: cabinet for cabinet in cabinets}
    fed = [by_stall[arrival.stall].cabinets for arrival in arrivals]
    for key in {key for keys in fed for key in keys}:
        by_cabinet[key]
    order = sorted(range(len(arrivals)), key=lambda i: arrivals[i].at_s)
    soc = [arrival.start_soc for arrival in arrivals]
    rows: list[list[tuple[float, float, float]]] = [[] for _ in arrivals]
    for step in range(int(hours * 3600 / _STEP_S)):
        now = step * _STEP_S
        here = [i for i in order if arrivals[i].at_s <= now and soc[i] < arrivals[i].target_soc]
        lacks = {i: _wanted(arrivals[i], by_stall[arrivals[i].stall], soc[i], now) for i in here}
        got = dict.fromkeys(here, 0.0)
        for cabinet in cabinets:
            mine = [i for i in here if cabinet.key in fed[i]]
            for i, kw in zip(mine, divide(cabinet, [lacks[i] for i in mine]), strict=True):
                got[i] += kw
                lacks[i] -= kw
        for i, kw in got.items():
            rows[i].append((now - arrivals[i].at_s, kw, soc[i]))
            soc[i] += 100.0 * kw * _STEP_S / 3600.0 / (arrivals[i].vehicle.pack_kwh or 1.0)
    visits = []
    for i, arrival in enumerate(arrivals):
        table = np.array(rows[i]) if rows[i] else np.empty((0, 3))
        visits.append(Visit(arrival, table[:, 0], table[:, 1], table[:, 2], soc[i] >= arrival.target_soc))
    return tuple(visits)


def _wanted(arrival: Arrival, stall: Stall, soc: float, now: float) -> float:
    """kW a vehicle would draw at this stall were it alone."""
    context = arrival.vehicle.model_copy(
        update={"post_kw": stall.kw, "post_a": stall.amps, "post_v": stall.volts, "neighbours": 0}
    )
    kw = min((link.kw for link in chain_at(context, soc)), default=0.0)
    return kw * min(1.0, (now - arrival.at_s) / RAMP_S)


def site_of(
    equipment: Sequence[tuple[str, str, Mapping[str, Any]]], used: Collection[str]
) -> tuple[list[Cabinet], list[Stall]]:
    """Cabinets and the used stalls of a site; a stall nobody feeds has a cabinet of its own, as large as its post.

    equipment: (kind, name, details). Raises ValueError for a stall in use whose kW are not known.
    """
    cabinets = [
        Cabinet(key=name, kw=d["cabinet_kw"], module_kw=d.get("module_kw") or 0.0, policy=d.get("share", "equal"))
        for kind, name, d in equipment
        if kind == "cabinet" and d.get("cabinet_kw")
    ]
    known = {c.key for c in cabinets}
    stalls = []
    for kind, name, d in equipment:
        if kind != "stall" or name not in used:
            continue
        if not d.get("post_kw"):
            raise ValueError(f"the kW of {name} are not known")
        feeds = tuple(key for key in feeds_of(d) if key in known)
        if not feeds:
            feeds = (f"own of {name}",)
            cabinets.append(Cabinet(key=feeds[0], kw=d["post_kw"]))
        stalls.append(Stall(key=name, cabinets=feeds, kw=d["post_kw"], amps=d.get("post_a"), volts=d.get("post_v")))
    return cabinets, stalls


class BayOption(NamedTuple):
    """A stall a vehicle could go to. cabinets: what feeds it, empty where not known; context: with nobody beside."""

    number: int
    name: str
    cabinets: tuple[str, ...]
    serves: str
    context: Context


@dataclass(frozen=True)
class Bay:
    """What a stall would do for the vehicle. avoid: stalls that share a cabinet with it, and of which it is not known, in
    words."""

    number: int
    name: str
    minutes: float
    average_kw: float
    serves: str
    avoid: str


def bays_for(options: Sequence[BayOption], start_soc: float, target_soc: float) -> list[Bay]:
    """Stalls that reach the target (states of charge in %), the quickest first; one too little is known of is left out."""
    found = []
    for option in options:
        if missing_for(option.context):
            continue
        then = expect(option.context, start_soc, target_soc)
        if then.reached_soc < target_soc - _REACHED_SOC:
            continue
        beside = _beside(option, options)
        found.append(Bay(option.number, option.name, then.minutes, then.average_kw, option.serves, beside))
    return sorted(found, key=lambda bay: bay.minutes)


def _beside(option: BayOption, options: Sequence[BayOption]) -> str:
    """Who shares with a stall, as far as cabinets are recorded; what is not recorded is said."""
    if not option.cabinets:
        return "not known: no cabinet is recorded for it"
    others = [o for o in options if o is not option]
    shares = [o.name for o in others if set(o.cabinets) & set(option.cabinets)]
    open_ = [o.name for o in others if not o.cabinets]
    words = ", ".join(shares) or "none of those recorded"
    return f"{words}; not known of {', '.join(open_)}" if open_ else words
