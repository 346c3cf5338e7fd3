"""Numbers as people and instruments write them: either decimal sign, thousands by point, comma, blank or apostrophe, units
behind them, and what stands where nothing was read."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from datetime import datetime, time, timedelta
from functools import lru_cache
from typing import Any

from gladwire.formats.table import cells
from gladwire.formats.table.power_columns import unit_of

Cell = Any
# As nearly all numbers are.
_PLAIN = re.compile(r"[+-]?\d+(?:\.\d+)?")
_BLANKS = "\u00a0\u202f\u2009"
_BODY = r"(?:\d{1,3}(?:[ ']\d{3})+|\d{1,3}(?:\.\d{3}){2,}|\d{1,3}(?:,\d{3}){2,}|\d[\d.,]*|[.,]\d+)"
_NUMBER = re.compile(rf"([+-]?{_BODY}(?:[eE][+-]?\d+)?)\s*([^\d\s.,:;+\-][^\d:;]{{0,8}})?")
# A person's “about”.
_ABOUT = re.compile(
    r"^(?:[~≈]|(?:ca|approx|about|circa|etwa|env|environ|omkring|ongeveer|około)\b\.?)\s*(?=\d)", re.IGNORECASE
)
_GROUPED = re.compile(r"[+-]?[1-9]\d{0,2}([.,])\d{3}")


def filled(cell: Cell) -> bool:
    return cell is not None and str(cell).strip() != ""


def is_missing(cell: Cell) -> bool:
    """Whether a word for "nothing was read" stands there; of a record a dash is one, too."""
    return isinstance(cell, str) and (text := cell.strip()) != "" and (text == "-" or cells.is_missing(text))


class Numbers:
    """Reads the numbers of one table. comma: the decimal sign of those that could be either."""

    def __init__(self, comma: bool = False) -> None:
        self.comma = comma

    @classmethod
    def of(cls, columns: Iterable[Sequence[Cell]]) -> Numbers:
        """By the numbers that can be read in one way only; a point where none decides."""
        votes = {",": 0, ".": 0}
        for column in columns:
            signs = [sign for cell in column if (sign := _decimal_sign(cell))]
            for sign in signs:
                votes[sign] += 1
            if not signs and (grouped := _thousands_sign(column)):
                votes["." if grouped == "," else ","] += 1
        return cls(votes[","] > votes["."])

    def value(self, cell: Cell) -> float | None:
        """The number in a cell, without its unit; None where it holds none."""
        if isinstance(cell, str):
            if _PLAIN.fullmatch(cell) and not (self.comma and _GROUPED.fullmatch(cell)):
                return float(cell)
            split = split_unit(cell)
            return self._number(split[0]) if split else None
        if isinstance(cell, bool) or not isinstance(cell, int | float):
            return None
        return float(cell)

    def _number(self, text: str) -> float | None:
        text = text.replace(" ", "").replace("'", "")
        last = max(text.rfind("."), text.rfind(","))
        sign = text[last] if last >= 0 else ""
        if sign and text.count(sign) > 1:  # twice: no decimal sign
            text = text.replace(sign, "")
        elif sign and _GROUPED.fullmatch(text):
            decimal = "," if self.comma else "."
            text = text.replace(",", ".") if sign == decimal else text.replace(sign, "")
        elif sign:
            text = text.replace("," if sign == "." else ".", "").replace(",", ".")
        try:
            return float(text)
        except ValueError:
            return None


# Cells repeat, and a small table is looked at under several delimiters before it is read.
@lru_cache(maxsize=1 << 16)
def split_unit(cell: str) -> tuple[str, str] | None:
    """(number as written, unit in lower case) of “50,3 kW”; None where it is no number, or what follows is no unit."""
    text = cell.strip().replace("\u2212", "-")
    for blank in _BLANKS:
        text = text.replace(blank, " ")
    match = _NUMBER.fullmatch(_ABOUT.sub("", text, count=1))
    if not match:
        return None
    unit = (match[2] or "").strip().lower()
    return (match[1], unit) if not unit or unit_of(unit) else None


def _decimal_sign(cell: Cell) -> str:
    """The decimal sign of a number that leaves no doubt about it, else ""."""
    split = split_unit(cell) if isinstance(cell, str) else None
    if split is None:
        return ""
    text = split[0]
    last = max(text.rfind("."), text.rfind(","))
    if last < 0 or text.count(text[last]) > 1:
        return ""
    other = "," if text[last] == "." else "."
    if other in text or not _GROUPED.fullmatch(text.replace(" ", "").replace("'", "")) or " " in text or "'" in text:
        return text[last]
    return ""


def _thousands_sign(column: Sequence[Cell]) -> str:
    """The sign of a column of whole numbers such as 980, 1.020, 12.400: decimals would not be missing from the small ones."""
    texts = [split[0] for cell in column if isinstance(cell, str) and (split := split_unit(cell))]
    grouped = [match[1] for text in texts if (match := _GROUPED.fullmatch(text))]
    whole = [text for text in texts if text.lstrip("+-").isdigit()]
    return (
        grouped[0] if grouped and whole and len(set(grouped)) == 1 and len(grouped) + len(whole) == len(texts) else ""
    )


def is_value(cell: Cell) -> bool:
    """Whether a cell holds a number, however written."""
    return (isinstance(cell, int | float) and not isinstance(cell, bool)) or (
        isinstance(cell, str) and split_unit(cell) is not None
    )


def is_moment(cell: Cell) -> bool:
    """Whether a cell of a workbook holds a date, a time of day or a length of time."""
    return isinstance(cell, datetime | time | timedelta)
