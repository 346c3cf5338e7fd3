"""Expect: what a vehicle should draw here, now, and which limit binds; before going out, or at the post."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from fastapi import APIRouter, Request
from starlette.responses import Response

from gladwire.core.power.chain import Context, nameplate
from gladwire.core.power.distance import UNITS, distance
from gladwire.core.power.equipment import FIELDS, feeds_of
from gladwire.core.power.expect import Bound, Expectation, Sensitivity, bounds, chain_at, expect, sensitivity
from gladwire.core.power.limiters import BY_KEY
from gladwire.core.power.site import Bay, BayOption, bays_for
from gladwire.core.power.tariff import Tariff, price
from gladwire.store.equipment import all_equipment, chain_for, details_of, piece_of
from gladwire.store.models import Equipment
from gladwire.web.charts.chain import ChainDrawing, chain
from gladwire.web.charts.plot import Plot, Series, plot
from gladwire.web.forms import id_in, number_in, told
from gladwire.web.services import Database
from gladwire.web.templating import render

router = APIRouter()

# What can be typed over what the equipment says, in the order of the chain; the rest comes from the equipment.
OVERRIDES = (
    "post_kw", "post_a", "post_v", "post_min_v", "announced_kw", "cable_a", "cable_boost_a", "cable_boost_min",
    "connector_a", "adapter_a_continuous", "cabinet_kw", "module_kw", "neighbour_kw", "grid_kw", "buffer_kwh",
    "pack_class_v", "pack_kwh", "vehicle_kw", "vehicle_a", "converter_kw", "ac_phases", "offer_a", "cable_code_a",
    "onboard_a", "onboard_phases",
)  # fmt: skip


@dataclass(frozen=True)
class Answer:
    """What can be expected; trouble is a sentence, or nothing."""

    trouble: str
    context: Context
    soc: float
    found: Expectation | None = None
    chain: ChainDrawing | None = None
    plots: Sequence[Plot] = ()
    bounds: Sequence[Bound] = ()
    changes: Sequence[Sensitivity] = ()
    label: str = ""
    distance: str = ""
    cost: str = ""
    narrowest: str = ""
    bays: Sequence[Bay] = ()
    chosen_stall: int = 0


@dataclass(frozen=True)
class ExpectPage:
    area: str
    vehicles: Sequence[Equipment]
    stalls: Sequence[Equipment]
    adapters: Sequence[Equipment]
    typed: Mapping[str, str]
    fields: Sequence[tuple[str, str, str]]
    units: Sequence[str]
    answer: Answer
    placeholders: Mapping[str, str]


_DEFAULTS = {
    "start": "10",
    "target": "80",
    "soc": "40",
    "neighbours": "0",
    "share": "",
    "consumption_unit": UNITS[0],
}


@router.get("/expect")
def expect_page(request: Request, db: Database) -> Response:
    typed = _typed(request.query_params)
    answer = _answer(db, typed)
    fields = [(key, *FIELDS[key]) for key in OVERRIDES]
    known = {
        k: f"{v:g}" for k, v in answer.context.model_dump().items() if isinstance(v, int | float) and v is not None
    }
    page = ExpectPage(
        "expect",
        all_equipment(db, "vehicle"),
        all_equipment(db, "stall"),
        all_equipment(db, "adapter"),
        typed,
        fields,
        UNITS,
        answer,
        known,
    )
    return render("expect.html", page)


@router.get("/expect/answer")
def answer_only(request: Request, db: Database) -> Response:
    """The answer alone, as a fragment."""
    return render("parts/expectation.html", _answer(db, _typed(request.query_params)))


def _typed(asked: Mapping[str, str]) -> dict[str, str]:
    return {**_DEFAULTS, **{k: v.strip()[:40] for k, v in asked.items() if v.strip()}}


def _answer(db: Database, typed: Mapping[str, str]) -> Answer:
    context = Context()
    try:
        pieces = [piece_of(db, id_in(typed.get(kind, ""))) for kind in ("vehicle", "stall", "adapter")]
        context = _context(db, pieces, typed)
        start, target, soc = (_percent(typed[key]) for key in ("start", "target", "soc"))
        found = expect(context, start, target)
        bays = _bays(db, pieces, typed, start, target)
        return replace(
            _drawn(context, found, soc, typed, pieces[0]), bays=bays, chosen_stall=pieces[1].id if pieces[1] else 0
        )
    except ValueError as error:
        return Answer(told(error), context, 50.0)


def _percent(text: str) -> float:
    value = number_in(text)
    if value is None or not 0 <= value <= 100:
        raise ValueError(f"“{text}” is no state of charge; 0 to 100 % was expected")
    return value


def _context(db: Database, pieces: Sequence[Equipment | None], typed: Mapping[str, str]) -> Context:
    more: dict[str, Any] = {key: number_in(typed.get(key, "")) for key in (*OVERRIDES, "pack_c", "ambient_c")}
    more["neighbours"] = int(number_in(typed.get("neighbours", "0")) or 0)
    if typed.get("share") in ("equal", "first", "demand"):
        more["share"] = typed["share"]
    return chain_for(db, pieces, **more)


def _drawn(
    context: Context, found: Expectation, soc: float, typed: Mapping[str, str], vehicle: Equipment | None
) -> Answer:
    links = chain_at(context, soc)
    narrow = next((link for link in links if link.narrowest), None)
    label = nameplate(context)
    kw = plot(
        "Power over charge", "state of charge in %", "kW",
        [Series("expected", list(found.soc), [float(v) for v in found.power_kw])], 820, 220, [(soc, f"{soc:g} %")],
    )  # fmt: skip
    time = plot(
        "Charge over time",
        "minutes",
        "%",
        [Series("charge", [t / 60 for t in found.time_s], list(found.soc), 4)],
        820,
        170,
    )
    return Answer(
        "",
        context,
        soc,
        found,
        chain(links, context.adapter_a_continuous is not None or context.adapter_supported is False),
        [p for p in (kw, time) if p],
        bounds(found),
        sensitivity(context, float(found.soc[0]), float(typed["target"].replace(",", "."))),
        (
            f"The label's {label.label_kw:.0f} kW would take {label.needed_a:.0f} A "
            f"at {label.volts:.0f} V; possible are {label.possible_kw:.0f} kW."
        )
        if label and not context.is_ac
        else "",
        _far(found, typed, vehicle),
        _cost(found, typed),
        f"{BY_KEY[narrow.limiter].title}: {narrow.says}, {narrow.kw:.0f} kW" if narrow else "",
    )


def _bays(
    db: Database, pieces: Sequence[Equipment | None], typed: Mapping[str, str], start: float, target: float
) -> list[Bay]:
    """Every stall of the chosen stall's site, the quickest first, each with nobody beside it."""
    stall = pieces[1]
    if stall is None:
        return []
    alone = {**typed, "neighbours": "0"}
    options = []
    for other in all_equipment(db, "stall", stall.site):
        details = details_of(other)
        context = _context(db, [pieces[0], other, pieces[2]], alone)
        options.append(BayOption(other.id, other.name, feeds_of(details), str(details.get("serves") or ""), context))
    return bays_for(options, start, target)


def _far(found: Expectation, typed: Mapping[str, str], vehicle: Equipment | None) -> str:
    known = details_of(vehicle) if vehicle else {}
    consumption = number_in(typed.get("consumption", "")) or known.get("consumption")
    unit = typed["consumption_unit"] if typed.get("consumption") else known.get("consumption_unit", UNITS[0])
    if not consumption or unit not in UNITS:
        return ""
    far, length = distance(found.energy_kwh, consumption, unit)
    return f"{far:.0f} {length} at {consumption:g} {unit}: {far / found.minutes:.1f} {length} a minute."


def _cost(found: Expectation, typed: Mapping[str, str]) -> str:
    tariff = Tariff(
        per_kwh=number_in(typed.get("per_kwh", "")) or 0.0,
        per_min=number_in(typed.get("per_min", "")) or 0.0,
        per_start=number_in(typed.get("per_start", "")) or 0.0,
    )
    if tariff == Tariff():
        return ""
    return f"It costs {price(tariff, found.energy_kwh, found.minutes):.2f}."
