"""Equipment: kept, found, and the sessions it was used in."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, cast

from sqlalchemy import ColumnElement, or_, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, joinedload, selectinload

from gladwire.core.power.chain import Context
from gladwire.core.power.equipment import CabinetSpec, Kind, chain_of, feeds_of, spec_of, together
from gladwire.store.cases import WITH_RESULTS
from gladwire.store.judgements import ask
from gladwire.store.models import (
    Attempt,
    Capture,
    Case,
    ChargingSession,
    Equipment,
    EquipmentBefore,
    KnownBy,
    Observation,
    Trail,
    utc_now,
)
from gladwire.store.shapes import DETAILS_FORMAT, details_from


def add_equipment(db: Session, kind: Kind, name: str, site: str, details: dict[str, Any], by_name: str) -> Equipment:
    """Raises ValueError for a figure out of its range, or where another piece of the kind has that name at the site."""
    spec = spec_of(kind, details)
    _refuse_twin(db, kind, name, site, None)
    kept = Equipment(kind=kind, name=name, site=site, details=spec.model_dump_json(), by_name=by_name[:80])
    db.add(kept)
    db.flush()
    return kept


def change_equipment(
    db: Session, piece: Equipment, name: str, site: str, details: dict[str, Any], by_name: str
) -> None:
    """Raises ValueError for a figure out of its range, or where another piece of the kind has that name at the site."""
    spec = spec_of(cast(Kind, piece.kind), details)
    _refuse_twin(db, cast(Kind, piece.kind), name, site, piece.id)
    same = spec_of(cast(Kind, piece.kind), details_of(piece)) == spec
    if same and (name, site) == (piece.name, piece.site):
        return
    kept = {key: getattr(piece, key) for key in ("name", "site", "details", "format", "by_name", "made_at")}
    now = utc_now()
    db.add(EquipmentBefore(equipment_id=piece.id, until=now, **kept))
    piece.name, piece.site, piece.by_name, piece.made_at = name, site, by_name[:80], now
    piece.details, piece.format = spec.model_dump_json(), DETAILS_FORMAT


def earlier_of(db: Session, piece: Equipment) -> Sequence[EquipmentBefore]:
    """What it was before, the latest first."""
    chosen = select(EquipmentBefore).where(EquipmentBefore.equipment_id == piece.id)
    return db.scalars(chosen.order_by(EquipmentBefore.id.desc())).all()


def join(db: Session, piece: Equipment, into: Equipment, by_name: str) -> None:
    """Two pages of one thing become one: all that names `piece` names `into` from now on, which keeps what the other was
    called and what its figures were. Its sessions are judged anew. Raises ValueError for two kinds, or one and the same."""
    if piece.kind != into.kind or piece.id == into.id:
        raise ValueError("only two pieces of one kind can be the same thing")
    met = sessions_with(db, [piece.id], limit=100_000)
    ask(*{s.id: s for one in met for s in (one, *(one.case.sessions if one.case else ()))}.values())
    for tried in (*met, *attempts_with(db, [piece.id], limit=100_000, struck=True)):
        for part in PIECES:
            if getattr(tried, f"{part}_id") == piece.id:
                setattr(tried, part, into)
    for table, column in ((KnownBy, KnownBy.equipment_id), (EquipmentBefore, EquipmentBefore.equipment_id)):
        db.execute(update(table).where(column == piece.id).values(equipment_id=into.id))
    for taken in (Observation, Capture):
        db.execute(update(taken).where(taken.instrument_id == piece.id).values(instrument_id=into.id))
    _rename_in_cases(db, piece, label_of(into))
    kept = {key: getattr(piece, key) for key in ("name", "site", "details", "format", "by_name", "made_at")}
    db.add(EquipmentBefore(equipment_id=into.id, **kept))
    about = f"the same as “{label_of(into)}”"
    db.add(
        Trail(what="equipment", name=label_of(piece)[:255], about=about[:500], by_name=by_name[:80], why="one thing")
    )
    db.flush()
    db.delete(piece)


def _rename_in_cases(db: Session, piece: Equipment, label: str) -> None:
    """Cases that name a vehicle or post as `piece` is named, and as no other is, name it by `label`."""
    column = {"vehicle": Case.vehicle, "stall": Case.post}.get(piece.kind)
    if column is None:
        return
    others = {e.name for e in all_equipment(db, cast(Kind, piece.kind)) if e.id != piece.id}
    texts = {label_of(piece), *({piece.name} - others)}
    for case in db.scalars(select(Case).where(column.in_(texts))):
        setattr(case, column.key, label)


def label_of(piece: Equipment | None) -> str:
    """What tells it from others of its kind: two posts 3 stand at two sites; "" for none."""
    return "" if piece is None else f"{piece.site}, {piece.name}" if piece.site else piece.name


def named(db: Session, kind: Kind, text: str, by_name: str) -> Equipment | None:
    """The piece somebody named, made where there is none of that name; None for nothing. A stall may be named with its site,
    as it is labelled, or without it where that is enough."""
    text = text.strip()[:120]
    if not text:
        return None
    pieces = all_equipment(db, kind)
    exact = [e for e in pieces if label_of(e) == text] or [e for e in pieces if e.name == text]
    if len(exact) > 1:
        raise ValueError(f"“{text}” is the name of {len(exact)} pieces: choose one with its site")
    return exact[0] if exact else add_equipment(db, kind, text, "", {}, by_name)


def _refuse_twin(db: Session, kind: Kind, name: str, site: str, but: int | None) -> None:
    """Two pieces of one name could not be told apart in any list, and sharing is told by name."""
    same = select(Equipment.id).where(Equipment.kind == kind, Equipment.name == name, Equipment.site == site)
    if any(number != but for number in db.scalars(same)):
        where = f" at {site}" if site else ""
        raise ValueError(f"there is a {kind} named “{name}”{where} already; give this one a name of its own")


def all_equipment(db: Session, kind: Kind | None = None, site: str | None = None) -> Sequence[Equipment]:
    """By site and name."""
    chosen = select(Equipment).order_by(Equipment.site, Equipment.name)
    if kind is not None:
        chosen = chosen.where(Equipment.kind == kind)
    if site is not None:
        chosen = chosen.where(Equipment.site == site)
    return db.scalars(chosen).all()


def piece_of(db: Session, number: int | None) -> Equipment | None:
    """A piece by its number; None for none."""
    return db.get(Equipment, number) if number is not None else None


def details_of(piece: Equipment) -> dict[str, Any]:
    """Its figures, whatever version kept them."""
    return details_from(piece.details, piece.format)


def chain_for(db: Session, pieces: Sequence[Equipment | None], **more: Any) -> Context:
    """The chain of a vehicle, a stall with its cabinet and site, and an adapter. Raises ValueError for a bad figure."""
    specs = []
    for piece in pieces:
        if piece is None:
            continue
        if piece.kind == "stall":
            feeds = feeds_of(details_of(piece))
            here = all_equipment(db, site=piece.site)
            specs += [spec_of("site", details_of(e)) for e in here if e.kind == "site"]
            by_name = {e.name: CabinetSpec.model_validate(details_of(e)) for e in here if e.kind == "cabinet"}
            if feeds and all(name in by_name for name in feeds):
                specs += [spec for spec in [together([by_name[name] for name in feeds])] if spec]
        specs.append(spec_of(cast(Kind, piece.kind), details_of(piece)))
    return chain_of(specs, **more)


def sessions_with(db: Session, pieces: Sequence[int], limit: int = 200) -> Sequence[ChargingSession]:
    """Sessions of these pieces, newest first, with their results."""
    chosen = select(ChargingSession).where(_with(ChargingSession, pieces))
    chosen = chosen.options(*WITH_RESULTS, selectinload(ChargingSession.case), *pieces_of(ChargingSession))
    return db.scalars(chosen.order_by(ChargingSession.id.desc()).limit(limit)).all()


def attempts_with(db: Session, pieces: Sequence[int], limit: int = 200, struck: bool = False) -> Sequence[Attempt]:
    """Attempts without a capture in which any of these took part, newest first. struck: those that were struck out too."""
    chosen = select(Attempt).where(_with(Attempt, pieces)).options(*pieces_of(Attempt))
    chosen = chosen if struck else chosen.where(Attempt.struck_by == "")
    return db.scalars(chosen.order_by(Attempt.id.desc()).limit(limit)).all()


def taken_with(db: Session, mark: str) -> Equipment | None:
    """The instrument whose files look like this, as far as somebody said so."""
    known = db.get(KnownBy, mark)
    return known.equipment if known and known.equipment.kind == "instrument" else None


def remember_marks(db: Session, piece: Equipment, marks: Sequence[str], by_name: str) -> None:
    """From now on it is known by these; what they told of another before no longer holds."""
    for mark in marks:
        kept = insert(KnownBy).values(mark=mark, equipment_id=piece.id, by_name=by_name[:80], made_at=utc_now())
        db.execute(kept.on_duplicate_key_update(equipment_id=piece.id, by_name=by_name[:80], made_at=utc_now()))


def known_by(db: Session, marks: Sequence[str]) -> Sequence[KnownBy]:
    """What these marks were told of before."""
    return db.scalars(select(KnownBy).where(KnownBy.mark.in_(marks)).options(joinedload(KnownBy.equipment))).all()


PIECES = ("vehicle", "stall", "lead", "adapter", "controller")


def _with(table: type[ChargingSession] | type[Attempt], pieces: Sequence[int]) -> ColumnElement[bool]:
    return or_(*(getattr(table, f"{piece}_id").in_(pieces) for piece in PIECES))


def pieces_of(table: type[ChargingSession] | type[Attempt]) -> list[Any]:
    """Options that load what took part along with it."""
    return [joinedload(getattr(table, piece)) for piece in PIECES]
