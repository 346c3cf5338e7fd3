"""Vehicles arriving at a site, played: what its cabinets give each while they share, against what each would take alone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import Response

from gladwire.core.power.expect import expect, missing_for
from gladwire.core.power.site import Arrival, play_site, site_of
from gladwire.store.equipment import all_equipment, chain_for, details_of, piece_of
from gladwire.store.models import Equipment
from gladwire.web.charts.plot import Plot, Series, plot
from gladwire.web.errors import RefusedError
from gladwire.web.forms import id_in, number_in, told
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


@router.get("/sites/{name:path}/play")
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
        trouble = told(error)
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
        vehicle = piece_of(db, id_in(vehicle_id))
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
    visits = play_site(
        *site_of([(e.kind, e.name, details_of(e)) for e in pieces], {a.stall for a in arrivals}), arrivals, 6.0
    )
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
