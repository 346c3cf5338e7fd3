"""Equipment: kept, found, and the sessions it was used in."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, cast

from sqlalchemy import or_, select
from sqlalchemy.orm import Session, selectinload

from gladwire.core.power.chain import Context
from gladwire.core.power.equipment import CabinetSpec, Kind, chain_of, feeds_of, spec_of, together
from gladwire.store.cases import WITH_RESULTS
from gladwire.store.models import ChargingSession, Equipment
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
    piece.name, piece.site, piece.by_name = name, site, by_name[:80]
    piece.details, piece.format = spec.model_dump_json(), DETAILS_FORMAT


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
    """Sessions of these vehicles or at these stalls, newest first, with their results."""
    used = or_(ChargingSession.vehicle_id.in_(pieces), ChargingSession.stall_id.in_(pieces))
    chosen = select(ChargingSession).where(used).options(*WITH_RESULTS, selectinload(ChargingSession.case))
    return db.scalars(chosen.order_by(ChargingSession.id.desc()).limit(limit)).all()
