"""Photographs, each the picture of an observation, which says where, by whom and when."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from gladwire.store.models import Observation, Photograph

MOST_BYTES = 15 * 1024 * 1024
_BEGINS = ((b"\xff\xd8\xff", "image/jpeg"), (b"\x89PNG\r\n\x1a\n", "image/png"))


def type_of(data: bytes) -> str:
    """What kind of picture it is, by its first bytes; "" for none that every browser shows."""
    if data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        return "image/webp"
    return next((kind for begins, kind in _BEGINS if data.startswith(begins)), "")


def add_photograph(db: Session, noted: Observation, name: str, data: bytes) -> Photograph:
    """Raises ValueError for what is no picture, or too large."""
    kind = type_of(data)
    if not kind:
        raise ValueError(f"“{name[:80]}” is no JPEG, PNG or WebP picture")
    if len(data) > MOST_BYTES:
        raise ValueError(f"“{name[:80]}” is larger than {MOST_BYTES >> 20} MiB")
    db.add(noted)
    db.flush()
    kept = Photograph(observation_id=noted.id, name=name[:200], type=kind, data=data)
    db.add(kept)
    return kept


def photographs_of(db: Session, observations: Sequence[int]) -> Mapping[int, int]:
    """Number of the picture by the number of its observation."""
    chosen = select(Photograph.observation_id, Photograph.id).where(Photograph.observation_id.in_(observations))
    return {noted: picture for noted, picture in db.execute(chosen)} if observations else {}


def photograph(db: Session, number: int) -> Photograph | None:
    return db.get(Photograph, number)
