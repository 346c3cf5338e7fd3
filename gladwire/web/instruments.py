"""Instruments as forms offer them, with what is wrong of each for what a plan measures."""

from __future__ import annotations

from typing import NamedTuple

from sqlalchemy.orm import Session

from gladwire.core.case.checklist.plan import Plan
from gladwire.core.case.instruments import AC_LIVE, DC_LIVE, out_of_calibration, out_of_category
from gladwire.core.power.equipment import InstrumentSpec
from gladwire.store.equipment import all_equipment, details_of, label_of
from gladwire.store.models import utc_now


class Instrument(NamedTuple):
    """wrong: calibration that ran out, a category below what the plan measures live; "" where neither is known."""

    number: int
    label: str
    wrong: str


def instruments_for(db: Session, plan: Plan | None) -> list[Instrument]:
    """All of them, by name."""
    asks, today = AC_LIVE if plan and plan.ac else DC_LIVE, utc_now().date()
    found = []
    for piece in all_equipment(db, "instrument"):
        spec = InstrumentSpec.model_validate(details_of(piece))
        told = (out_of_calibration(spec, today), out_of_category(spec, asks) if plan else "")
        found.append(Instrument(piece.id, label_of(piece), ". ".join(words for words in told if words)))
    return found
