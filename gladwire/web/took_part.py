"""What takes part in a plug-in, as forms offer it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from gladwire.core.case.swaps import PARTS, Attempt, Part
from gladwire.core.session.marks import Mark
from gladwire.store.equipment import PIECES, all_equipment, known_by, label_of
from gladwire.store.model_notes import notes_of
from gladwire.store.models import ChargingSession, ModelNote
from gladwire.work.cases import KIND_OF, pieces_named

TITLES: dict[Part, str] = {
    "vehicle": "Vehicle", "post": "Post and stall", "lead": "Lead", "adapter": "Adapter", "controller": "Retrofit controller",
    "software": "Software version",
}  # fmt: skip

# Names offered of each kind; who has more begins to type.
_MOST_OFFERED = 300


def known_names(db: Session, attempts: Sequence[Attempt] = ()) -> dict[Part, list[str]]:
    """Labels to choose from: what took part in the case before, then all equipment."""
    found: dict[Part, list[str]] = {"software": []}
    for part, kind in KIND_OF.items():
        found[part] = [label_of(e) for e in all_equipment(db, kind)]
    for part in PARTS:
        own = [a.parts[part] for a in attempts if a.parts.get(part)]
        found[part] = list(dict.fromkeys([*own, *found[part]]))[:_MOST_OFFERED]
    return found


@dataclass(frozen=True)
class TookPart:
    """The form on a session. named: (number of its page or None, label) of what is known; parts: as the form begins.
    met_again: what the capture says it is, by marks that were told of it before: (title of the part, label, what by).
    learnt: what is known of the models that took part."""

    named: list[tuple[int | None, str]]
    parts: dict[Part, str]
    titles: dict[Part, str]
    known: dict[Part, list[str]]
    met_again: list[tuple[str, str, str]]
    learnt: Sequence[ModelNote]


def took_part(db: Session, session: ChargingSession, marks: Sequence[Mark]) -> TookPart:
    pieces = [getattr(session, piece) for piece in PIECES]
    named: list[tuple[int | None, str]] = [(piece.id, label_of(piece)) for piece in pieces if piece]
    named += [(None, session.software)] if session.software else []
    parts, met_again = pieces_named(session), []
    of_key = {mark.key: mark for mark in marks}
    for known in known_by(db, list(of_key)) if of_key else ():
        mark = of_key[known.mark]
        if mark.of not in parts:
            parts[mark.of] = label_of(known.equipment)
            met_again.append((TITLES[mark.of], label_of(known.equipment), f"{mark.what} {mark.value}"))
    return TookPart(named, parts, TITLES, known_names(db), met_again, notes_of(db, pieces))
