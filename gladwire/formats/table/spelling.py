"""Clocks and lengths of time spelt otherwise than with colons, written anew with them, column by column: “14.02.10” where it
counts on as a clock and not as a date does, “0h 05m 30s”, “5'30"”, “02:02:10 p. m.”.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

import numpy as np

from gladwire.formats.table.values import Cell, filled

_LOOK_AT, _NEARLY_ALL = 60, 0.7
_POINTS = re.compile(r"([01]?\d|2[0-3])\.([0-5]\d)\.([0-5]\d)")
_PARTS = re.compile(
    r"(?:(\d{1,3})\s*(?:h|hr|hrs|std|t|u)\.?\s*)?(?:(\d{1,4})\s*(?:m|min|mins|')\.?\s*)?"
    r"(?:(\d{1,2}(?:[.,]\d+)?)\s*(?:s|sec|sek|seg|\"|'')?\.?)?",
    re.IGNORECASE,
)
_NAMED_PART = re.compile(r"\d\s*(h|hr|hrs|std|t|u|m|min|mins|')", re.IGNORECASE)
_HALF = re.compile(r"(\d)\s*([ap])\.?\s?m\.?$", re.IGNORECASE)
_HALF_SPELT = re.compile(r"\d\s*[ap](\.\s?m\.?|\s?m\.)$", re.IGNORECASE)


def with_colons(rows: Sequence[Sequence[Cell]]) -> Sequence[Sequence[Cell]]:
    """The rows, clocks of the columns that spell them otherwise written with colons; the same rows where none does."""
    spelt = {}
    for index in range(max(map(len, rows[:_LOOK_AT]), default=0)):
        column = [str(row[index]).strip() for row in rows[:_LOOK_AT] if index < len(row) and filled(row[index])]
        if found := next((rewrite for is_spelt, rewrite in _SPELLINGS if is_spelt(column)), None):
            spelt[index] = found
    if not spelt:
        return rows
    return [
        [spelt[i](cell.strip()) if i in spelt and isinstance(cell, str) else cell for i, cell in enumerate(row)]
        for row in rows
    ]


def _mostly(pattern: re.Pattern[str]) -> Callable[[Sequence[str]], bool]:
    return lambda column: len(column) > 2 and sum(1 for c in column if pattern.search(c)) > _NEARLY_ALL * len(column)


def _are_point_clocks(column: Sequence[str]) -> bool:
    """Whether a column of “14.02.10” tells hours, minutes and seconds: as a day it would be one of many years."""
    parts = [tuple(map(int, match.groups())) for cell in column if (match := _POINTS.fullmatch(cell))]
    if len(parts) < 3 or len(parts) < _NEARLY_ALL * len(column):
        return False
    seconds = np.array([3600 * h + 60 * m + s for h, m, s in parts])
    steps = np.diff(seconds) % 86_400
    return bool((steps <= 3600).all()) and len({s for _, _, s in parts} | {m for _, m, _ in parts}) > 2


def _of_points(cell: str) -> str:
    return cell.replace(".", ":") if _POINTS.fullmatch(cell) else cell


def _are_parts(column: Sequence[str]) -> bool:
    told = [cell for cell in column if _PARTS.fullmatch(cell) and _NAMED_PART.search(cell)]
    # “12 min” alone is a number with its unit, and read as such.
    return len(column) > 2 and len(told) > _NEARLY_ALL * len(column) and any(len(_digits(cell)) > 1 for cell in told)


def _digits(cell: str) -> list[str]:
    return re.findall(r"\d+(?:[.,]\d+)?", cell)


def _of_parts(cell: str) -> str:
    match = _PARTS.fullmatch(cell)
    if not match or not cell or not _NAMED_PART.search(cell):
        return cell
    hours, minutes, rest = (match[1] or "0", match[2] or "0", (match[3] or "0").replace(",", "."))
    whole = 60 * int(hours) + int(minutes)
    return f"{whole // 60}:{whole % 60:02d}:{rest.zfill(2)}"


_SPELLINGS: tuple[tuple[Callable[[Sequence[str]], bool], Callable[[str], str]], ...] = (
    (_are_point_clocks, _of_points),
    (_are_parts, _of_parts),
    (_mostly(_HALF_SPELT), lambda cell: _HALF.sub(r"\1 \2m", cell)),
)
