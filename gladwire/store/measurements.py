"""What captures show, and what people settled about them. The machine's own reading and the corrected one both stay."""

from __future__ import annotations

import json
import zlib
from typing import Any, NamedTuple

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from gladwire.core.measured import Measured
from gladwire.core.settled import Settled
from gladwire.store.captures import ask_again
from gladwire.store.judgements import ask
from gladwire.store.kept_parsed import KeptParsed
from gladwire.store.models import Capture, InstrumentRoles, Settlement, StoredMeasurement, utc_now
from gladwire.store.shapes import MEASURED_FORMAT, SETTLED_FORMAT, measured_from, settled_from, unpacked

# A measurement is never changed: its row's number tells it apart.
_parsed: KeptParsed[Measured] = KeptParsed(64)


def newest_settlement(db: Session, capture: Capture) -> Settlement | None:
    """What a person last settled about this capture, if anything."""
    chosen = select(Settlement).where(Settlement.capture_id == capture.id).order_by(Settlement.id.desc()).limit(1)
    return db.scalar(chosen)


def settled_of(settlement: Settlement | None) -> Settled:
    """What was settled, whatever version kept it; nothing where nobody settled anything."""
    return settled_from(settlement.settled, settlement.format) if settlement else Settled()


def add_settlement(
    db: Session, capture: Capture, settled: Settled, interval_s: float | None, by_name: str, why: str, reader: str = ""
) -> Settlement:
    """Record what a person settled and queue the capture for a new measurement."""
    settlement = Settlement(
        capture_id=capture.id,
        settled=settled.model_dump_json(),
        format=SETTLED_FORMAT,
        interval_s=interval_s,
        reader=reader,
        by_name=by_name[:80],
        why=why[:300],
    )
    db.add(settlement)
    ask_again(capture)
    return settlement


def store_measured(
    db: Session, capture: Capture, settlement: Settlement | None, content: bytes, measures: int, reads: int
) -> StoredMeasurement:
    """Keep what a capture shows, as JSON that was read back; an earlier result of the same settlement is replaced, those of
    others stay.

    When a person settled something else meanwhile, the capture stays queued for that. Its session is judged anew.
    """
    ask(capture.session)
    db.refresh(
        capture, with_for_update=True
    )  # held before anything points at it, as in `ask`; nobody settles meanwhile
    number = settlement.id if settlement else None
    newest = newest_settlement(db, capture)
    capture.state = "analysed" if (newest.id if newest else None) == number else "received"
    capture.refusal = ""
    same = StoredMeasurement.settlement_id == number if number else StoredMeasurement.settlement_id.is_(None)
    db.execute(delete(StoredMeasurement).where(StoredMeasurement.capture_id == capture.id, same))
    stored = StoredMeasurement(
        capture_id=capture.id,
        settlement_id=number,
        reads=reads,
        measures=measures,
        format=MEASURED_FORMAT,
        result=zlib.compress(content, 6),
    )
    db.add(stored)
    return stored


def refuse(capture: Capture, sentence: str, reads: int) -> None:
    """Mark an original as unreadable by these readers; it stays stored, and its session is judged without it."""
    capture.state, capture.refusal, capture.reads = "unreadable", sentence, reads
    ask(capture.session)


def newest_measurement(capture: Capture) -> StoredMeasurement | None:
    """The result that holds: for the latest settlement, if there is one yet."""
    return max(capture.measurements, key=lambda m: (m.settlement_id or 0, m.id), default=None)


def measured_of(stored: StoredMeasurement) -> Measured:
    """What was measured, parsed once. Raises OldShapeError where it has to be made anew."""
    kept = _parsed.get(stored.id)
    if kept is None:
        kept = _parsed.put(stored.id, measured_from(unpacked(stored.result), stored.format))
    return kept


class Remembered(NamedTuple):
    """What was confirmed for the channels of an instrument: roles, factors and noughts by name, and by whom."""

    roles: dict[str, str]
    factors: dict[str, float]
    noughts: dict[str, float]
    by_name: str


def remember_roles(db: Session, signature: str, settled: Settled, by_name: str) -> None:
    """Keep confirmed roles for every file of this signature; earlier ones are replaced."""
    kept = {
        name: [role, f, settled.noughts.get(name, 0.0)] if (f := settled.factors.get(name)) else role
        for name, role in settled.roles.items()
    }
    db.merge(InstrumentRoles(signature=signature, roles=json.dumps(kept), by_name=by_name[:80], made_at=utc_now()))


def all_remembered_roles(db: Session) -> dict[str, Remembered]:
    """What is remembered, by the signature of an instrument."""
    found = {}
    for kept in db.scalars(select(InstrumentRoles)):
        told: dict[str, Any] = json.loads(kept.roles)
        roles = {name: role if isinstance(role, str) else role[0] for name, role in told.items()}
        scaled = {name: told for name, told in told.items() if not isinstance(told, str)}
        factors, noughts = ({name: told[place] for name, told in scaled.items()} for place in (1, 2))
        found[kept.signature] = Remembered(roles, factors, noughts, kept.by_name)
    return found
