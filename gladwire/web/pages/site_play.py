"""Vehicles arriving at a site, played: what its cabinets give each while they share, against what each would take alone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import Response

from gladwire.core.power.expect import expect, missing_for
from gladwire.core.power.site import Arrival, Cabinet, Stall, play_site
from gladwire.store.equipment import all_equipment, chain_for, details_of
from gladwire.store.models import Equipment
from gladwire.web.charts.plot import Plot, Series, plot
from gladwire.web.errors import RefusedError
from gladwire.web.pages.expect import number_in
from gladwire.web.services import Database
from gladwire.web.templating import render

router = APIRouter()

# Vehicles that can be played at once; more would not be read on one drawing.
_MOST_PLAYED = 6


@dataclass(frozen=True)
class Played:
    """What one vehicle of a played hour got, and how long it would have taken alone."""

    name: str
    stall: str
    at_min: float
    minutes: float | None
    alone_min: float | None
    energy_kwh: float
    peak_kw: float


@dataclass(frozen=True)
class PlayPage:
    """rows: (stall, vehicle, minute) as asked; trouble is a sentence, or nothing."""

    area: str
    name: str
    stalls: Sequence[Equipment]
    vehicles: Sequence[Equipment]
    rows: Sequence[tuple[str, str, str]]
    start: str
    target: str
    played: Sequence[Played]
    plot: Plot | None
    trouble: str


@router.get("/sites/{name}/play")
def play(request: Request, db: Database, name: str) -> Response:
    """Vehicles that arrive at the site, and what its cabinets give each while they share."""
    pieces = all_equipment(db, site=name)
    stalls = [e for e in pieces if e.kind == "stall"]
    if not stalls:
        raise RefusedError(404, f"There is no site “{name}” with a stall.", "Look through the equipment.")
    asked = request.query_params
    keys = ("stall", "vehicle", "at")
    rows = list(zip(*(asked.getlist(key) for key in keys), strict=False))[:_MOST_PLAYED]
    start, target = asked.get("start", "15"), asked.get("target", "80")
    played: list[Played] = []
    drawing, trouble = None, ""
    try:
        played, drawing = _played(db, pieces, rows, start, target)
    except ValueError as error:
        said = str(error)
        trouble = f"{said[0].upper()}{said[1:]}."
    rows += [("", "", "")] * (4 - len(rows))
    page = PlayPage(
        "equipment", name, stalls, all_equipment(db, "vehicle"), rows, start, target, played, drawing, trouble
    )
    return render("play.html", page)


def _played(
    db: Database, pieces: Sequence[Equipment], rows: Sequence[Sequence[str]], start: str, target: str
) -> tuple[list[Played], Plot | None]:
    """Raises ValueError where too little is known of a stall or vehicle."""
    arrivals, names = [], []
    low, high = number_in(start), number_in(target)
    if low is None or high is None or not 0 <= low < high <= 100:
        raise ValueError("a start and a target from 0 to 100 % were expected, the target above the start")
    by_id = {str(e.id): e for e in pieces if e.kind == "stall"}
    for stall_id, vehicle_id, at in rows:
        stall = by_id.get(stall_id)
        vehicle = db.get(Equipment, int(vehicle_id)) if vehicle_id.isdigit() and len(vehicle_id) < 10 else None
        if stall is None or vehicle is None or vehicle.kind != "vehicle":
            continue
        minute = number_in(at) or 0.0
        if not 0 <= minute <= 180:
            raise ValueError("vehicles arrive within three hours")
        chain = chain_for(db, [vehicle])
        alone = chain_for(db, [vehicle, stall])
        if missing := missing_for(alone):
            raise ValueError(f"nothing can be played for {vehicle.name} at {stall.name} without {', '.join(missing)}")
        arrivals.append(Arrival(stall=stall.name, at_s=60 * minute, vehicle=chain, start_soc=low, target_soc=high))
        names.append((vehicle.name, stall.name, minute, expect(alone, low, high)))
    if not arrivals:
        return [], None
    visits = play_site(*_site_parts(pieces, {a.stall for a in arrivals}), arrivals, 6.0)
    told = [
        Played(
            name, stall, minute,
            float(v.time_s[-1]) / 60 if v.done else None,
            then.minutes if then.reached_soc >= high - 0.5 else None,
            float(v.power_kw.sum()) * 5.0 / 3600 if len(v.power_kw) else 0.0,
            float(v.power_kw.max(initial=0.0)),
        )
        for (name, stall, minute, then), v in zip(names, visits, strict=True)
    ]  # fmt: skip
    series = [
        Series(stall[:22], (minute + v.time_s[::3] / 60).tolist(), v.power_kw[::3].tolist(), number)
        for number, ((_, stall, minute, _), v) in enumerate(zip(names, visits, strict=True))
    ]
    return told, plot("What each gets", "minutes", "kW", series)


def _site_parts(pieces: Sequence[Equipment], used: set[str]) -> tuple[list[Cabinet], list[Stall]]:
    """Cabinets and stalls as the simulation has them; a stall nobody feeds has a cabinet of its own, as large as its post.

    Raises ValueError for a stall in use whose kW are not known.
    """
    cabinets = [
        Cabinet(key=e.name, kw=d["cabinet_kw"], module_kw=d.get("module_kw") or 0.0, policy=d.get("share", "equal"))
        for e in pieces
        if e.kind == "cabinet" and (d := details_of(e)).get("cabinet_kw")
    ]
    known = {c.key for c in cabinets}
    stalls = []
    for e in pieces:
        if e.kind != "stall" or e.name not in used:
            continue
        d = details_of(e)
        if not d.get("post_kw"):
            raise ValueError(f"the kW of {e.name} are not known")
        feeds = str(d.get("cabinet") or "")
        if feeds not in known:
            feeds = f"own of {e.name}"
            cabinets.append(Cabinet(key=feeds, kw=d["post_kw"]))
        stalls.append(Stall(key=e.name, cabinet=feeds, kw=d["post_kw"], amps=d.get("post_a"), volts=d.get("post_v")))
    return cabinets, stalls
