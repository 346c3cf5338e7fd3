"""Where in a table of cells the readings are, and what stands over them, whatever language it is in.

A column of readings holds numbers, times or words for "nothing read" in most of its rows; a row of readings has no other
text in these columns. What stands above are names, perhaps with a row of units; what stands below is a summary.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

from gladwire.formats.table.moments import is_clock, is_date
from gladwire.formats.table.power_columns import unit_of
from gladwire.formats.table.values import Cell, filled, is_missing, is_moment, is_value

_LOOK_AT_ROWS = 400
_FOOTER_ROWS = 6
# Readings that are none, between the names and the first that is one.
_BAD_ROWS = 3
_COMMENT = re.compile(r"^\s*(?:#+|//+|;+|%+(?=\s*\w)|')\s*")
# What a row of units may hold beside units.
_UNIT_WORDS = re.compile(r"(h+:m+(:s+)?|m+:s+|d+[./-]m+[./-]y+.*|y+[./-]m+[./-]d+.*|-|–|date|text)", re.IGNORECASE)


class Grid(NamedTuple):
    """titles: name and unit of each column, as one text; columns: numbers of those that hold readings. first, end: rows of
    the readings, from the first row given. left: rows after them that are none and not blank."""

    titles: tuple[str, ...]
    columns: tuple[int, ...]
    first: int
    end: int
    left: int

    @property
    def what_is_left(self) -> str:
        return "the last line is no reading" if self.left == 1 else f"the last {self.left} lines are no readings"


def find_grid(rows: Sequence[Sequence[Cell]]) -> Grid | None:
    """None where no two rows of readings follow each other."""
    seen = rows[:_LOOK_AT_ROWS]
    columns = _value_columns(seen)
    if not columns:
        return None
    wanted = set(columns)
    flags = [_is_reading(row, wanted) for row in seen]
    first = next(
        (
            i
            for i, flag in enumerate(flags)
            if flag and sum(_next_filled(rows, flags, i, 3)) >= min(2, len(seen) - i - 1)
        ),
        None,
    )
    if first is None:
        return None
    end = _end_of(rows, first, wanted)
    left = sum(1 for row in rows[end:] if any(filled(c) for c in row))
    titles, first = _titles(rows, first, columns)
    return Grid(titles, columns, first, end, left)


def kind_of(cell: Cell) -> str:
    """ "v": a value or a time, "m": a word for nothing read, "x": other text, "": blank."""
    return _of_text(cell) if isinstance(cell, str) else _of(cell)


@lru_cache(maxsize=1 << 16)
def _of_text(cell: str) -> str:
    return _of(cell)


def _of(cell: Cell) -> str:
    if not filled(cell):
        return ""
    if is_value(cell) or is_moment(cell) or is_clock(cell) or is_date(cell):
        return "v"
    return "m" if is_missing(cell) else "x"


def _value_columns(rows: Sequence[Sequence[Cell]]) -> tuple[int, ...]:
    """Columns that hold values in the longest run of rows of one kind: none has text where another has a value."""
    best: dict[int, str] = {}
    most, length, held = 1, 0, dict[int, str]()
    for row in rows:
        kinds = {i: kind for i, cell in enumerate(row) if (kind := kind_of(cell)) in ("v", "x")}
        if not any(filled(cell) for cell in row):
            continue
        if "v" not in kinds.values():
            length, held = 0, {}
            continue
        if any(held.get(i, kind) != kind for i, kind in kinds.items()):
            length, held = 0, {}
        length += 1
        held |= kinds
        if length > most:
            best, most = dict(held), length
    return tuple(sorted(i for i, kind in best.items() if kind == "v"))


def _is_reading(row: Sequence[Cell], columns: set[int]) -> bool:
    kinds = [kind_of(row[i]) for i in columns if i < len(row)]
    return "x" not in kinds and "v" in kinds and kinds.count("v") + kinds.count("m") >= min(2, len(columns))


def _next_filled(rows: Sequence[Sequence[Cell]], flags: Sequence[bool], at: int, count: int) -> list[bool]:
    """Whether the next so many rows that are not blank are readings."""
    following = [flags[i] for i in range(at + 1, len(flags)) if any(filled(c) for c in rows[i])]
    return following[:count]


def _end_of(rows: Sequence[Sequence[Cell]], first: int, columns: set[int]) -> int:
    """After the last reading: up to some rows of a summary, a note or a line cut off are left out."""
    end = len(rows)
    while end > first and not any(filled(c) for c in rows[end - 1]):
        end -= 1
    last, left = end, 0
    usual = max(
        (sum(1 for i in columns if i < len(row) and filled(row[i])) for row in rows[first : first + 20]), default=0
    )
    while last > first + 1 and left < _FOOTER_ROWS:
        row = rows[last - 1]
        if _is_reading(row, columns) and sum(1 for i in columns if i < len(row) and filled(row[i])) * 2 >= usual:
            break
        left += any(filled(c) for c in row)
        last -= 1
    return last if left < _FOOTER_ROWS or last == first + 1 else end


def _titles(rows: Sequence[Sequence[Cell]], first: int, columns: Sequence[int]) -> tuple[tuple[str, ...], int]:
    """(titles of all columns, the first row of readings): a first reading that is none stands between the names and the
    readings, and is refused there rather than taken for a name."""
    width = max(columns) + 1
    above = [[_text(c) for c in row] for row in rows[:first]]
    nearest = [i for i in range(first - 1, max(-1, first - _BAD_ROWS - 3), -1) if _names(above[i], columns)]
    if not nearest:
        return ("",) * width, first
    at = nearest[0]
    units: list[str] = []
    if _are_units(above[at]) and len(nearest) > 1:
        units = [text.strip("[]()<> ") for text in above[at]]
        at = nearest[1]
    begins = nearest[0] + 1
    named = list(above[at])
    named[0] = _COMMENT.sub("", named[0])
    # A row of groups over the names, such as “Vehicle” over “kW”; a title or a key with its value is none.
    over = above[at - 1] if at and _groups(above[at - 1], named) else []
    titles = []
    for index in range(width):
        name, group, unit = (row[index] if index < len(row) else "" for row in (named, over, units))
        text = f"{group} {name}".strip()
        titles.append(f"{text} [{unit}]".strip() if unit and unit != "-" else text)
    return tuple(titles), begins if any(any(row) for row in above[begins:first]) else first


def _names(row: Sequence[str], columns: Sequence[int]) -> bool:
    """Whether a row stands over readings: texts and no value over the columns, in two of them where there are two."""
    over = [kind_of(row[i]) for i in columns if i < len(row)]
    if _are_units(row):
        return True
    return "v" not in over and sum(1 for text in row if text) >= min(2, len(columns)) and "x" in over


def _groups(row: Sequence[str], named: Sequence[str]) -> bool:
    told = [text for text in row if text]
    return len(row) > 2 and 2 <= len(told) < len([t for t in named if t]) and not any(is_value(text) for text in told)


def _text(cell: Cell) -> str:
    return "" if cell is None else str(cell).strip()


def _are_units(row: Sequence[str]) -> bool:
    told = [text.strip("[]()<> ").lower() for text in row if text]
    return bool(told) and all(unit_of(t) or _UNIT_WORDS.fullmatch(t) for t in told)
