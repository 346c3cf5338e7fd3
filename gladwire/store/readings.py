"""Pictures that readings were typed from, kept beside the record they became."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session, defer

from gladwire.store.models import Capture, ReadingPicture


class Picture(NamedTuple):
    """A JPEG. at_s: of the reading it shows; film_s: in the film, None of a photograph; name: of the film or photograph."""

    at_s: float
    film_s: float | None
    name: str
    data: bytes


def add_pictures(db: Session, capture: Capture, pictures: Sequence[Picture]) -> None:
    for one in pictures:
        kept = ReadingPicture(
            capture_id=capture.id, at_s=one.at_s, film_s=one.film_s, name=one.name[:200], data=one.data
        )
        db.add(kept)


def pictures_of(db: Session, captures: Sequence[int]) -> Sequence[ReadingPicture]:
    """In order of time, without their bytes."""
    chosen = select(ReadingPicture).where(ReadingPicture.capture_id.in_(captures)).order_by(ReadingPicture.at_s)
    return db.scalars(chosen.options(defer(ReadingPicture.data))).all()


def picture(db: Session, number: int) -> ReadingPicture | None:
    return db.get(ReadingPicture, number)
