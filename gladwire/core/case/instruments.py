"""What is wrong with an instrument before anybody goes out with it: its calibration, or its measurement category.

Categories by IEC 61010-2-030: III for circuits of the installation of a building, so for what feeds a post. Its volts are
those to earth: 300 V covers 230 V. DC contacts reach 1000 V. (Clauses from memory.)
"""

from __future__ import annotations

import re
from datetime import date
from typing import NamedTuple

from gladwire.core.power.equipment import InstrumentSpec

_CAT, _VOLTS = r"CAT\.?\s*(?P<cat>IV|III|II|I|[1-4])\b", r"(?P<volts>\d{3,4})\s*V"
_CATEGORY_FIRST = re.compile(rf"{_CAT}\D{{0,3}}{_VOLTS}", re.IGNORECASE)
_VOLTS_FIRST = re.compile(rf"{_VOLTS}\W{{0,3}}{_CAT}", re.IGNORECASE)
_BEGINS = re.compile(r"CAT|\d{3,4}\s*V", re.IGNORECASE)
_ROMAN = {"I": 1, "II": 2, "III": 3, "IV": 4}


class Asks(NamedTuple):
    """What measuring live asks of an instrument: a category, and its volts to earth."""

    category: int
    volts: float

    @property
    def words(self) -> str:
        return f"CAT {'I' * self.category} {self.volts:.0f} V"


AC_LIVE, DC_LIVE = Asks(3, 300.0), Asks(3, 1000.0)


def categories_in(text: str) -> tuple[tuple[int, float], ...]:
    """(category, volts) as an instrument's print names them, such as “CAT III 1000 V / CAT IV 600 V” or
    “1000 V CAT III”; () where none is."""
    begins = _BEGINS.search(text)
    pattern = _VOLTS_FIRST if begins and begins[0][0].isdigit() else _CATEGORY_FIRST
    found = ((m["cat"].upper(), float(m["volts"])) for m in pattern.finditer(text))
    return tuple((int(cat) if cat.isdigit() else _ROMAN[cat], volts) for cat, volts in found)


def out_of_calibration(spec: InstrumentSpec, on: date) -> str:
    """In words; "" where it holds, or where nobody noted it."""
    until = spec.calibrated_until
    return f"Calibration ran out on {until:%d %b %Y}: have it done before it measures" if until and until < on else ""


def out_of_category(spec: InstrumentSpec, asks: Asks) -> str:
    """In words; "" where its category covers what is asked, or where nobody noted one."""
    found = categories_in(spec.category)
    if not found or any(category >= asks.category and volts >= asks.volts for category, volts in found):
        return ""
    return f"{spec.category} is below {asks.words}, which measuring live there asks for: only for what is dead"
