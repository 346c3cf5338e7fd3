"""Equipment: vehicles, sites with their stalls and who shares, adapters; each with its figures and its history."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, cast, get_args

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from gladwire.core.lanes.power.report import record_of
from gladwire.core.power.equipment import FIELDS, SPECS, Kind
from gladwire.core.power.sharing import Pair, SiteSession, Step, pairs_of, plan_tests, topology
from gladwire.core.quantities import BY_KEY
from gladwire.formats.dates import moment_of
from gladwire.store.equipment import (
    add_equipment,
    all_equipment,
    change_equipment,
    details_of,
    piece_of,
    sessions_with,
)
from gladwire.store.models import ChargingSession, Equipment
from gladwire.web.charts.site_plan import SitePlan, site_plan
from gladwire.web.errors import RefusedError
from gladwire.web.forms import FormFields, id_in, number_in, refused
from gladwire.web.pages.rows import SessionRow, session_row
from gladwire.web.power_view import whole_of
from gladwire.web.services import Database
from gladwire.web.session_view import session_view
from gladwire.web.signing import name_of, signed
from gladwire.web.templating import render

router = APIRouter()

KIND_WORDS: Mapping[Kind, str] = {
    "vehicle": "Vehicle", "stall": "Stall with its post", "cabinet": "Cabinet", "site": "Site's supply", "adapter": "Adapter",
}  # fmt: skip
# Figures that are words, and what they are called.
_WORDS = {
    "label": "Painted label", "app_name": "Name in the app", "post_class": "Class of post",
    "cabinet": "Fed by cabinet (several: with commas)",
    "serves": "Reaches ports at", "port": "Port at", "consumption_unit": "Consumption in",
}  # fmt: skip
_PLACES = {"x": ("Across the plan", "m"), "y": ("Down the plan", "m")}
_CHOICES = {
    "share": (("equal", "equally"), ("first", "first come, first served"), ("demand", "by demand")),
    "proven": (("", "assumed"), ("yes", "proven by a test")),
    "adapter_supported": (("", "not known"), ("yes", "the vehicle knows it"), ("no", "the vehicle does not know it")),
}
_CHOICE_WORDS = {"share": "Divides", "proven": "Who feeds it is", "adapter_supported": "Vehicle's support"}


@dataclass(frozen=True)
class FormField:
    key: str
    title: str
    unit: str
    value: str
    choices: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class SiteRow:
    name: str
    plan: SitePlan | None
    stalls: int


@dataclass(frozen=True)
class EquipmentPage:
    area: str
    sites: Sequence[SiteRow]
    vehicles: Sequence[Equipment]
    adapters: Sequence[Equipment]
    loose: Sequence[Equipment]
    kinds: Mapping[Kind, str]


@dataclass(frozen=True)
class PiecePage:
    area: str
    kind: Kind
    words: str
    piece: Equipment | None
    name: str
    site: str
    fields: Sequence[FormField]
    history: Sequence[SessionRow]
    by_name: str
    curve: str
    stalls: Sequence[Equipment]


@dataclass(frozen=True)
class SitePage:
    area: str
    name: str
    plan: SitePlan | None
    pairs: Sequence[Pair]
    groups: Sequence[Sequence[str]]
    steps: Sequence[Step]
    sessions: int
    pieces: Sequence[Equipment]


@router.get("/equipment")
def equipment(db: Database) -> Response:
    everything = all_equipment(db)
    sites = dict.fromkeys(e.site for e in everything if e.site)
    rows = [
        SiteRow(name, _plan(everything, name, ()), sum(1 for e in everything if e.site == name and e.kind == "stall"))
        for name in sites
    ]
    page = EquipmentPage(
        "equipment",
        rows,
        [e for e in everything if e.kind == "vehicle"],
        [e for e in everything if e.kind == "adapter"],
        [e for e in everything if not e.site and e.kind in ("stall", "cabinet", "site")],
        KIND_WORDS,
    )
    return render("equipment.html", page)


def _plan(everything: Sequence[Equipment], site: str, proven: Sequence[Sequence[str]]) -> SitePlan | None:
    stalls = [(e.id, e.name, details_of(e)) for e in everything if e.site == site and e.kind == "stall"]
    cabinets = [(e.name, details_of(e)) for e in everything if e.site == site and e.kind == "cabinet"]
    return site_plan(stalls, cabinets, proven)


@router.get("/sites/{name:path}")
def site(db: Database, name: str) -> Response:
    """The plan, who shares as far as sessions prove it, and the fewest plug-ins that would settle the rest."""
    pieces = all_equipment(db, site=name)
    if not pieces:
        raise RefusedError(404, f"There is no site “{name}”.", "Look through the equipment.")
    stalls = [e for e in pieces if e.kind == "stall"]
    names = [e.name for e in stalls]
    played = _site_sessions(sessions_with(db, [e.id for e in stalls]) if stalls else ())
    pairs = pairs_of(played)
    groups = topology(names, pairs)
    feeds = {e.name: str(details_of(e).get("cabinet") or e.name) for e in stalls}
    page = SitePage(
        "equipment", name, _plan(pieces, name, groups), pairs, [g for g in groups if len(g) > 1],
        plan_tests(names, pairs, feeds) if len(names) > 1 else (), len(played), pieces,
    )  # fmt: skip
    return render("site.html", page)


def _site_sessions(sessions: Sequence[ChargingSession]) -> list[SiteSession]:
    """Sessions that hold a power record and say when it began."""
    found = []
    for session in sessions:
        view = session_view(session) if session.captures else None
        report = whole_of(view) if view else None
        began = next((at for c in session.captures if (at := moment_of(c.recorded_at)) is not None), None)
        if report is None or began is None or session.stall is None:
            continue
        record = record_of(report)
        found.append(SiteSession(session.stall.name, began, record.time_s - report.start_s, record.values["power_kw"]))
    return found


@router.get("/equipment/{which}")
def piece(request: Request, db: Database, which: str, kind: str = "vehicle", site: str = "") -> Response:
    """A piece of equipment with its history; `new` with a kind is an empty form."""
    if which == "new":
        if kind not in get_args(Kind):
            raise RefusedError(404, f"There is no equipment of the kind “{kind}”.", "Choose another.")
        return render("piece.html", _page(request, db, cast(Kind, kind), None, site))
    found = piece_of(db, id_in(which))
    if found is None:
        raise RefusedError(404, f"There is no equipment {which}.", "Look through the equipment.")
    return render("piece.html", _page(request, db, cast(Kind, found.kind), found, found.site))


def _page(request: Request, db: Database, kind: Kind, found: Equipment | None, site: str) -> PiecePage:
    details = details_of(found) if found else {}
    history = [session_row(s) for s in sessions_with(db, [found.id], 40)] if found else []
    curve = "\n".join(f"{soc:g} {kw:g}" for soc, kw in details.get("vehicle_curve", ()))
    return PiecePage(
        "equipment", kind, KIND_WORDS[kind], found, found.name if found else "", site, _fields(kind, details), history,
        name_of(request), curve, all_equipment(db, "stall"),
    )  # fmt: skip


def _fields(kind: Kind, details: Mapping[str, Any]) -> list[FormField]:
    found = []
    for key in SPECS[kind].model_fields:
        value = details.get(key)
        if key in _CHOICES:
            text = (
                {True: "yes", False: "" if key == "proven" else "no", None: ""}.get(value, str(value))
                if not isinstance(value, str)
                else value
            )
            found.append(
                FormField(key, _CHOICE_WORDS[key], "", text or ("equal" if key == "share" else ""), _CHOICES[key])
            )
        elif key in _WORDS:
            found.append(FormField(key, _WORDS[key], "", str(value or "")))
        elif key in FIELDS or key in _PLACES:
            title, unit = FIELDS.get(key) or _PLACES[key]
            found.append(FormField(key, title, unit, f"{value:g}" if value is not None else ""))
    return found


@router.post("/equipment")
def keep(form: FormFields, db: Database) -> Response:
    """Keep a new piece or changes to one."""
    kind = form.get("kind", "")
    if kind not in get_args(Kind):
        raise RefusedError(422, "The kind of equipment is missing.", "Start from the equipment page.")
    name, by_name = form.get("name", "").strip(), form.get("by_name", "")[:80]
    if max(len(name), len(form.get("site", ""))) > _LONGEST_NAME:
        raise RefusedError(422, f"A name has at most {_LONGEST_NAME} letters. Nothing was stored.", "Shorten it.")
    if not name or not by_name:
        raise RefusedError(422, "A name for it and your own are needed. Nothing was stored.", "Fill them in.")
    try:
        details = _details(cast(Kind, kind), form)
        if form.get("id"):
            found = piece_of(db, id_in(form["id"]))
            if found is None or found.kind != kind:
                raise RefusedError(
                    404, "That piece of equipment is gone. Nothing was stored.", "Look through the list."
                )
            change_equipment(db, found, name, form.get("site", ""), details, by_name)
        else:
            found = add_equipment(db, cast(Kind, kind), name, form.get("site", ""), details, by_name)
    except ValueError as error:
        raise refused(error) from error
    return signed(RedirectResponse(f"/equipment/{found.id}", 303), by_name)


# As the tables keep them; what is cut off would make two pieces look the same.
_LONGEST_NAME = 120


def _details(kind: Kind, form: Mapping[str, str]) -> dict[str, Any]:
    """Raises ValueError for what is no number."""
    found: dict[str, Any] = {}
    for key in SPECS[kind].model_fields:
        text = form.get(key, "")
        if key == "vehicle_curve":
            found[key] = _curve(form.get("curve", ""))
        elif not text:
            continue
        elif key in ("proven", "adapter_supported"):
            found[key] = text == "yes"
        elif key in _WORDS or key == "share":
            found[key] = text[:60]
        else:
            value = number_in(text)
            found[key] = int(value) if value is not None and key.endswith("phases") else value
    return found


# A data sheet's curve has some dozens; a session's own comes from its capture.
_MOST_POINTS = 500


def _curve(text: str) -> tuple[tuple[float, float], ...]:
    """Lines of “SoC kW” as a data sheet or an earlier session tells them."""
    pairs = []
    for number, line in enumerate(text.replace(";", " ").replace("\t", " ").splitlines(), 1):
        parts = line.split()
        if not parts:
            continue
        try:
            values = [number_in(part) or 0.0 for part in parts]
        except ValueError:
            values = []
        if len(values) != 2 or not 0 <= values[0] <= 100 or not 0 <= values[1] <= BY_KEY["power_kw"].most:
            raise ValueError(f"line {number} of the curve: a state of charge and kW were expected, such as “50 120”")
        pairs.append((values[0], values[1]))
        if len(pairs) > _MOST_POINTS:
            raise ValueError(f"a curve has at most {_MOST_POINTS} points; every percent or two is enough")
    return tuple(sorted(pairs))
