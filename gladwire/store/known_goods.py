"""Known-good captures, kept by model of lead, post or vehicle."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from gladwire.store.models import Capture, KnownGood


def keep_known_good(db: Session, model: str, capture: Capture, by_name: str) -> KnownGood:
    """Keep a capture as the known-good one of a model; the one before stays on record."""
    kept = KnownGood(model=model[:120], capture_id=capture.id, by_name=by_name[:80])
    db.add(kept)
    return kept


def known_goods(db: Session) -> Sequence[KnownGood]:
    """The newest of every model, by model."""
    newest = select(func.max(KnownGood.id)).group_by(KnownGood.model)
    chosen = select(KnownGood).where(KnownGood.id.in_(newest)).options(joinedload(KnownGood.capture))
    return db.scalars(chosen.order_by(KnownGood.model)).all()
