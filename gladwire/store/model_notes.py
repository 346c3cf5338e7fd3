"""What was learnt of a make and model: quirks, and what its lamps and sounds stand for. It holds for every piece of it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from gladwire.core.power.equipment import Kind
from gladwire.store.equipment import PIECES, all_equipment, details_of, label_of
from gladwire.store.models import Case, Equipment, ModelNote

LONGEST = 120


def model_of(piece: Equipment | None) -> str:
    """Make and model, or what is printed on it where it has none; "" where nobody noted either."""
    if piece is None:
        return ""
    details = details_of(piece)
    return " ".join(str(details.get("model") or details.get("label") or "").split())[:LONGEST]


def notes_of(db: Session, pieces: Iterable[Equipment | None]) -> Sequence[ModelNote]:
    """Of all models among these pieces, in the order they were learnt; none that was struck out. Models are told apart as the
    database compares words: upper and lower case are one."""
    models = {model for piece in pieces if (model := model_of(piece))}
    if not models:
        return ()
    chosen = select(ModelNote).where(ModelNote.model.in_(models), ModelNote.struck_by == "")
    return db.scalars(chosen.order_by(ModelNote.model, ModelNote.id)).all()


def pieces_in(db: Session, case: Case) -> list[Equipment]:
    """What took part in a case's sessions and attempts, and the vehicle and post it names, where they have a page."""
    found = {getattr(one, piece) for one in (*case.sessions, *case.attempts) for piece in PIECES}
    named: tuple[tuple[Kind, str], ...] = (("vehicle", case.vehicle), ("stall", case.post))
    for kind, text in named:
        found |= {e for e in all_equipment(db, kind) if text and text in (e.name, label_of(e))}
    return sorted((piece for piece in found if piece is not None), key=lambda piece: piece.id)
