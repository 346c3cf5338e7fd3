"""Names, units and kinds of the columns of a table."""

from __future__ import annotations

import re
from dataclasses import dataclass
from itertools import pairwise

from gladwire.formats.table.cells import CLOCK, UNIT_FACTORS, cells, is_value, number, unit_word
from gladwire.formats.table.fit import Fit
from gladwire.formats.table.preamble import is_spacing

_TIME_NAME = re.compile(r"^(time|t|x|x[ -_]?axis|zeit|temps|tiempo|tempo|tijd|seconds?|relative time|timestamp)$")
_INDEX_NAME = re.compile(
    r"^(index|sample|samples|sample (no|number|index)|point|points|no|nr|n|#|sequence|count|idx|x)$"
)
_COMMENT = re.compile(r"^\s*(?:#+|//+|%+)\s*")
_A_VALUE = re.compile(r"[-+]?\d")
# “POINTS=2500”: no names of columns.
_KEY_AND_VALUE = re.compile(r'^"?[^=,;\t"]{1,40}=[^=]*$')
# Cells of the first lines of numbers.
Rows = list[list[str]]


@dataclass(frozen=True)
class Column:
    """A column: name and unit as written, kind ("time", "clock", "index", "V", "A", "ohm" or ""), factor to SI."""

    name: str
    unit: str
    kind: str
    factor: float


def columns_of(head: list[str], fit: Fit, body: Rows) -> tuple[Column, ...]:
    """Names, units and kinds of the active columns from up to three rows above the numbers."""
    rows = [
        row
        for line in (_COMMENT.sub("", each) for each in head[-4:])
        if (len(row := _names_in(line, fit.delimiter)) > max(fit.active) or _is_header(row, fit))
        and not (_KEY_AND_VALUE.match(line) or is_spacing(line))
    ]
    rows = [row + [""] * (max(fit.active) + 1 - len(row)) for row in rows]
    units_row = next((row for row in reversed(rows[-1:]) if _is_units_row(row, fit)), None)
    names = [
        row
        for row in rows
        if row is not units_row and not any(is_value(c, comma) for c in row for comma in (True, False))
    ][-2:]
    if len(names) == 2 and head and is_spacing(_COMMENT.sub("", head[-1])):
        names = []  # keys and values down to the numbers: a header is one row
    if len(names) == 2 and any(_A_VALUE.match(cell) for cell in names[0]):
        names = names[1:]  # a key and its value, such as “50 kHz”
    columns = []
    for order, index in enumerate(fit.active):
        parts = [row[index] for row in names if row[index]]
        name, unit = _name_and_unit(" ".join(dict.fromkeys(parts)))
        unit = (units_row[index].strip("()[] ") if units_row else "") or unit
        columns.append(_column(name, unit, order, len(fit.active), body, index, fit))
    return tuple(columns)


def _names_in(line: str, delimiter: str) -> list[str]:
    """The names of a header row; under blanks a unit in brackets belongs to the name before it."""
    if delimiter == " ":
        return re.split(r"\s+(?![\[(])", line.strip())
    return cells(line, delimiter)


def _is_header(row: list[str], fit: Fit) -> bool:
    return len(row) == len(fit.active) and len(row) > 1


def _is_units_row(row: list[str], fit: Fit) -> bool:
    texts = [unit_word(row[i].strip("()[] ")) for i in fit.active]
    known = [t for t in texts if any(t in table for table in UNIT_FACTORS.values())]
    return bool(known) and all(t in known or t in ("", "-") for t in texts)


def _name_and_unit(text: str) -> tuple[str, str]:
    match = re.match(r"^(.*?)\s*[\[(]([^\])]*)[\])]\s*$", text)
    if match:
        return match.group(1).strip(), match.group(2).strip()
    match = re.match(r"^(.*?)\s*[/_,]\s*([A-Za-zµμΩ]{1,5})$", text)
    if match and any(unit_word(match.group(2)) in table for table in UNIT_FACTORS.values()):
        return match.group(1).strip(), match.group(2).strip()
    if any(unit_word(text) in table for table in UNIT_FACTORS.values()) and len(text) > 1:
        return "", text
    match = re.match(r"^(.*\S)\s*(%|°C|°F)$", text) or re.match(
        r"^(.*\S)\s+(k?Hz|[mk]?V|mA|[µmk]?s|k?Ω|k?Ohm|k?W)$", text
    )
    return (match.group(1), match.group(2)) if match else (text, "")


def _column(name: str, unit: str, order: int, count: int, body: Rows, index: int, fit: Fit) -> Column:
    low, key = unit_word(unit), name.lower().strip()
    if _is_clock(body, index, fit):
        return Column(name, "s", "clock", 1.0)
    if low in UNIT_FACTORS["time"] or (not low and _TIME_NAME.match(key) and count > 1):
        if order == 0 and count > 1 and not low and key == "x" and _counts_up(body, index, fit):
            return Column(name, "", "index", 1.0)
        return Column(name, unit, "time", UNIT_FACTORS["time"].get(low, 1.0))
    for kind in ("V", "A", "ohm"):
        if low in UNIT_FACTORS[kind]:
            return Column(name, unit, kind, UNIT_FACTORS[kind][low])
    if order == 0 and count > 1:
        if _counts_up(body, index, fit):
            return Column(name, "", "index", 1.0)
        if _INDEX_NAME.match(key) or _rises(body, index, fit):
            return Column(name, unit, "time", 1.0)
    return Column(name, unit, "", 1.0)


def _is_clock(body: Rows, index: int, fit: Fit) -> bool:
    found = [row[index] for row in body[:5] if len(row) > index]
    return bool(found) and all(CLOCK.fullmatch(cell) for cell in found)


def _values(body: Rows, index: int, fit: Fit) -> list[float]:
    found = (number(row[index], fit.comma) for row in body if len(row) > index)
    return [value for value in found if value is not None]


def _counts_up(body: Rows, index: int, fit: Fit) -> bool:
    values = _values(body, index, fit)
    return len(values) > 2 and all(b - a == 1 for a, b in pairwise(values))


def _rises(body: Rows, index: int, fit: Fit) -> bool:
    values = _values(body, index, fit)
    return len(values) > 2 and values[-1] > values[0] and all(b >= a for a, b in pairwise(values))
