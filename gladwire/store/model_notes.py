"""What was learnt of a make and model: quirks, and what its lamps and sounds stand for. It holds for every piece of it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from gladwire.store.equipment import PIECES, details_of, label_of
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


def pieces_in(db: Session, *cases: Case) -> dict[int, list[Equipment]]:
    """By number of a case, what took part in its sessions and attempts, and the vehicle and post it names, where they have a
    page."""
    texts = {text for case in cases for text in (case.vehicle, case.post) if text}
    label = func.concat(Equipment.site, ", ", Equipment.name)
    chosen = select(Equipment).where(or_(Equipment.name.in_(texts), label.in_(texts)))
    known = db.scalars(chosen).all() if texts else ()
    found = {}
    for case in cases:
        pieces = {getattr(one, piece) for one in (*case.sessions, *case.attempts) for piece in PIECES} - {None}
        named = {"vehicle": case.vehicle, "stall": case.post}
        pieces |= {e for e in known if named.get(e.kind) and named[e.kind] in (e.name, label_of(e))}
        found[case.id] = sorted(pieces, key=lambda piece: piece.id)
    return found
