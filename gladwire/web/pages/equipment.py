"""Equipment: everything with identity, each with its figures, what they were before, and its history."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Annotated, Any, NamedTuple, cast, get_args

from fastapi import APIRouter, File, Form, Query, Request, UploadFile
from starlette.responses import RedirectResponse, Response

from gladwire.core.case.attempt import REACHED, Told
from gladwire.core.case.instruments import out_of_calibration
from gladwire.core.case.standing_out import standing_out
from gladwire.core.lanes.power.report import record_of
from gladwire.core.power.equipment import FIELDS, SPECS, InstrumentSpec, Kind
from gladwire.core.power.label import Read, read_label
from gladwire.core.power.sharing import Pair, SiteSession, Step, pairs_of, plan_tests, topology
from gladwire.core.quantities import BY_KEY
from gladwire.formats.dates import moment_of
from gladwire.store.equipment import (
    add_equipment,
    all_equipment,
    attempts_with,
    change_equipment,
    details_of,
    earlier_of,
    join,
    label_of,
    piece_of,
    sessions_with,
)
from gladwire.store.model_notes import model_of, notes_of
from gladwire.store.models import Attempt, ChargingSession, Equipment, EquipmentBefore, ModelNote, utc_now
from gladwire.store.photographs import MOST_BYTES, type_of
from gladwire.store.shapes import details_from
from gladwire.web.charts.site_plan import SitePlan, site_plan
from gladwire.web.errors import RefusedError
from gladwire.web.forms import FormFields, id_in, number_in, refused
from gladwire.web.pages.rows import SessionRow, session_row
from gladwire.web.power_view import whole_of
from gladwire.web.services import Database
from gladwire.web.session_view import session_view
from gladwire.web.signing import name_of, signed
from gladwire.web.templating import render
from gladwire.work.cases import came_of
from gladwire.work.history import pairs_of_record
from gladwire.work.printed import text_in

router = APIRouter()

KIND_WORDS: Mapping[Kind, str] = {
    "vehicle": "Vehicle", "stall": "Stall with its post", "cabinet": "Cabinet", "site": "Site's supply", "lead": "Lead",
    "adapter": "Adapter", "controller": "Retrofit controller", "instrument": "Instrument",
}  # fmt: skip
# Kinds that stand at a site.
PLACED: tuple[Kind, ...] = ("stall", "cabinet", "site")
# Figures that are words, and what they are called.
_WORDS = {
    "model": "Make, model, generation", "software": "Software version", "connectors": "Connectors", "cores": "Cores",
    "fitted_in": "Fitted in", "measures": "Measures", "reach": "Range", "probes": "Probe factors",
    "category": "Measurement category", "label": "Label or print", "app_name": "Name in the app",
    "post_class": "Class of post",
    "cabinet": "Fed by cabinet (several: with commas)",
    "serves": "Reaches ports at", "port": "Port at", "consumption_unit": "Consumption in",
}  # fmt: skip
_DAYS = {"calibrated_until": "Calibrated until"}
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
    is_day: bool = False


class Line(NamedTuple):
    """A row of the list of equipment. stands_out: why it does, with its statistics; due: a calibration that has run out."""

    id: int
    label: str
    model: str
    stands_out: str
    due: str


class Was(NamedTuple):
    """A figure as it was, until when, and who had typed it."""

    words: str
    value: str
    until: datetime
    by_name: str


@dataclass(frozen=True)
class SiteRow:
    """cabinets: their names."""

    name: str
    stalls: int
    cabinets: list[str]


@dataclass(frozen=True)
class EquipmentPage:
    area: str
    sites: Sequence[SiteRow]
    groups: Sequence[tuple[str, Sequence[Line]]]
    stands_out: Sequence[Line]
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
    attempts: Sequence[Attempt]
    record: Sequence[tuple[str, int, int]]
    stands_out: str
    due: str
    was: Sequence[Was]
    by_name: str
    curve: str
    stalls: Sequence[Equipment]
    model: str
    learnt: Sequence[ModelNote]
    reached: Sequence[Told]
    others: Sequence[tuple[int, str]]

    @property
    def met(self) -> str:
        return _MET.get(self.kind, ("", ""))[1]


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
    at: dict[str, list[Equipment]] = {}
    for piece in everything:
        if piece.site:
            at.setdefault(piece.site, []).append(piece)
    rows = [
        SiteRow(name, sum(e.kind == "stall" for e in here), [e.name for e in here if e.kind == "cabinet"])
        for name, here in at.items()
    ]
    out = {s.thing: s.words for s in standing_out(pairs_of_record(db))}
    lines = {e.id: _line(e, out.get(e.id, "")) for e in everything if e.id in out or e.kind not in PLACED or not e.site}
    groups = [
        (
            f"{words}, at no site" if kind in PLACED else words,
            [lines[e.id] for e in everything if e.kind == kind and (kind not in PLACED or not e.site)],
        )
        for kind, words in KIND_WORDS.items()
    ]
    listed = [(words, found) for words, found in groups if found]
    page = EquipmentPage("equipment", rows, listed, [lines[number] for number in out if number in lines], KIND_WORDS)
    return render("equipment.html", page)


def _line(piece: Equipment, stands_out: str) -> Line:
    details = details_of(piece)
    model = str(details.get("model") or details.get("label") or "")
    return Line(piece.id, label_of(piece), model, stands_out, _due(piece.kind, details))


def _due(kind: str, details: Mapping[str, Any]) -> str:
    """What is wrong with an instrument before anybody goes out with it."""
    today = utc_now().date()
    return out_of_calibration(InstrumentSpec.model_validate(details), today) if kind == "instrument" else ""


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
    tried = attempts_with(db, [found.id], 40) if found else ()
    out = {s.thing: s.words for s in standing_out(pairs_of_record(db))} if found else {}
    curve = "\n".join(f"{soc:g} {kw:g}" for soc, kw in details.get("vehicle_curve", ()))
    return PiecePage(
        "equipment", kind, KIND_WORDS[kind], found, found.name if found else "", site, _fields(kind, details), history,
        tried, _record(db, found) if found else (), out.get(found.id, "") if found else "", _due(kind, details),
        _before(found, earlier_of(db, found)) if found else (), name_of(request), curve, all_equipment(db, "stall"),
        model_of(found), notes_of(db, [found]), REACHED,
        [(e.id, label_of(e)) for e in all_equipment(db, kind) if found and e.id != found.id][:_MOST_OFFERED],
    )  # fmt: skip


# Who has more of a kind joins them by another name first.
_MOST_OFFERED = 400
# What a piece is met with, and what that is called.
_MET: Mapping[Kind, tuple[str, str]] = {
    "vehicle": ("stall", "At posts"), "stall": ("vehicle", "Vehicles here"), "lead": ("vehicle", "Vehicles with it"),
    "adapter": ("stall", "Posts with it"), "controller": ("stall", "Posts with it"),
}  # fmt: skip


def _record(db: Database, piece: Equipment) -> list[tuple[str, int, int]]:
    """(label, how often it failed, of how many decided) for each partner, those that failed most first."""
    other = _MET.get(cast(Kind, piece.kind), ("", ""))[0]
    counts: dict[str, list[int]] = {}
    for session in sessions_with(db, [piece.id]) if other else ():
        _count(counts, label_of(getattr(session, other)), came_of(session))
    for tried in attempts_with(db, [piece.id]) if other else ():
        _count(counts, label_of(getattr(tried, other)), tried.came)
    return sorted(((label, bad, of) for label, (bad, of) in counts.items()), key=lambda r: (-r[1] / r[2], r[0]))


def _count(counts: dict[str, list[int]], label: str, came: str) -> None:
    if label and came in ("failed", "charged"):
        seen = counts.setdefault(label, [0, 0])
        seen[0] += came == "failed"
        seen[1] += 1


def _before(piece: Equipment, earlier: Sequence[EquipmentBefore]) -> list[Was]:
    """Figures that were changed, each with the day it ended, the latest first."""
    found, now = [], {"name": piece.name, "site": piece.site, **details_of(piece)}
    for old in earlier:
        was = {"name": old.name, "site": old.site, **details_from(old.details, old.format)}
        for key in now:
            if (was.get(key) or None) != (now[key] or None):
                title, unit = FIELDS.get(key) or _PLACES.get(key) or (_TITLES.get(key, key), "")
                value = "more than a number" if isinstance(was.get(key), list) else _told(was.get(key))
                found.append(Was(title, f"{value} {unit if was.get(key) else ''}".strip(), old.until, old.by_name))
        now = was
    return found


def _told(value: object) -> str:
    return f"{value:g}" if isinstance(value, float) else str(value or "not known")


_TITLES = {**_WORDS, **_DAYS, **_CHOICE_WORDS, "name": "Name", "site": "Site", "vehicle_curve": "Its own curve"}


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
        elif key in _WORDS or key in _DAYS:
            found.append(FormField(key, _WORDS.get(key) or _DAYS[key], "", str(value or ""), is_day=key in _DAYS))
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


@dataclass(frozen=True)
class LabelRead:
    """What a label's text tells: title, unit, field, value and the words it was read from. read: the text, where it was read
    from a picture."""

    found: list[tuple[str, str, Read]]
    is_empty: bool
    read: str = ""


@router.get("/labels/read")
def label(kind: Annotated[str, Query()], label_text: Annotated[str, Query(max_length=2000)] = "") -> Response:
    """Figures a label's text tells, to be filled into a form; nothing is stored."""
    return render("equipment/label.html", LabelRead(_figures(kind, label_text), not label_text.strip()))


@router.post("/labels/picture")
def label_picture(kind: Annotated[str, Query()], label_picture: Annotated[UploadFile, File()]) -> Response:
    """The same of a picture of a label; nothing is stored."""
    content = label_picture.file.read(MOST_BYTES + 1)
    if not type_of(content) or len(content) > MOST_BYTES:
        problem = f"That is no JPEG, PNG or WebP picture of at most {MOST_BYTES >> 20} MiB."
        raise RefusedError(422, problem, "Take a picture of the label, or type what is printed on it.")
    try:
        told = text_in(content)[:2000]
    except ValueError as error:
        raise refused(error, "Type what is printed on it.") from error
    return render("equipment/label.html", LabelRead(_figures(kind, told), not told, told))


def _figures(kind: str, text: str) -> list[tuple[str, str, Read]]:
    if kind not in get_args(Kind):
        raise RefusedError(422, "The kind of equipment is missing.", "Start from the equipment page.")
    found = []
    for read in read_label(cast(Kind, kind), text):
        title, unit = FIELDS.get(read.field) or (_TITLES.get(read.field, read.field), "")
        found.append((title, unit, read))
    return found


@router.post("/equipment/{number}/same")
def same(
    db: Database,
    number: int,
    other: Annotated[int, Form()],
    by_name: Annotated[str, Form(min_length=1, max_length=80)],
) -> Response:
    """This piece and another are one thing; the other's page stays, and says what this one was."""
    piece, into = piece_of(db, number), piece_of(db, other)
    if piece is None or into is None:
        raise RefusedError(404, "That piece of equipment is gone. Nothing was changed.", "Look through the list.")
    try:
        join(db, piece, into, by_name)
    except ValueError as error:
        raise refused(error) from error
    return signed(RedirectResponse(f"/equipment/{into.id}", 303), by_name)


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
        elif key in _DAYS:
            found[key] = _day(text)
        else:
            value = number_in(text)
            found[key] = int(value) if value is not None and key.endswith("phases") else value
    return found


def _day(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError as error:
        raise ValueError(f"“{text[:20]}” is no day, such as 2027-03-31") from error


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
