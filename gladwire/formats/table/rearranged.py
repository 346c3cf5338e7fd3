"""Tables that lie on their side, or tell one reading a row with what it is beside it, put upright."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

from gladwire.formats.table.grid import kind_of
from gladwire.formats.table.moments import is_clock, is_date
from gladwire.formats.table.power_columns import meaning_of, unit_of
from gladwire.formats.table.values import Cell, filled

# On its side: few rows of many cells, each with its name before it.
_MOST_ON_SIDE, _LEAST_WIDE, _MOST_WIDE = 40, 12, 100_000
# One reading a row: so many quantities at most, each told so often at least.
_MOST_QUANTITIES, _LEAST_EACH, _LOOK_AT = 20, 4, 200
# Times per row at most: where hardly any repeats the text is a remark, and what it says no quantity.
_TIMES_SHARE = 0.75


def upright(rows: Sequence[Sequence[Cell]]) -> tuple[list[list[Cell]], str] | None:
    """(the table upright, what was done), None for one that is so already."""
    return _from_its_side(rows) or _from_readings(rows)


def _from_its_side(rows: Sequence[Sequence[Cell]]) -> tuple[list[list[Cell]], str] | None:
    held = [row for row in rows if any(filled(cell) for cell in row)]
    wide = [row for row in held if len(row) >= _LEAST_WIDE]
    if not 2 <= len(wide) <= _MOST_ON_SIDE or len(held) > _MOST_ON_SIDE:
        return None
    width = max(map(len, wide))
    named = all(kind_of(row[0]) == "x" and sum(kind_of(c) == "v" for c in row[1:]) > 0.8 * len(row[1:]) for row in wide)
    if not named or width > _MOST_WIDE or sum(len(row) == width for row in wide) < 2:
        return None
    turned = [[row[i] if i < len(row) else None for row in wide] for i in range(width)]
    return turned, "The table lies on its side, one row a quantity; it is put upright."


class _Places(NamedTuple):
    """Columns of a table of one reading a row; unit: -1 where there is none."""

    times: tuple[int, ...]
    name: int
    value: int
    unit: int


def _places(rows: Sequence[Sequence[Cell]]) -> _Places | None:
    """Where time, name, value and unit stand, by the first rows; None where they are not one each."""
    columns = list(zip(*rows, strict=True))
    kinds = [{kind_of(cell) for cell in column if filled(cell)} for column in columns]
    values = [i for i, kind in enumerate(kinds) if "v" in kind and "x" not in kind]
    texts = [i for i, kind in enumerate(kinds) if kind == {"x"}]
    times = [i for i in values if all(is_clock(c) or is_date(c) for c in columns[i])] or values[:1]
    value = [i for i in values if i not in times]
    units = [i for i in texts if all(unit_of(str(c).strip().lower()) for c in columns[i])]
    names = [i for i in texts if i not in units]
    if len(value) != 1 or len(names) != 1 or not times or len(units) > 1:
        return None
    return _Places(tuple(times), names[0], value[0], units[0] if units else -1)


def _from_readings(rows: Sequence[Sequence[Cell]]) -> tuple[list[list[Cell]], str] | None:
    """Of rows of a time, the name of a quantity, its value, and perhaps its unit."""
    first = [row for row in rows[:_LOOK_AT] if any(kind_of(cell) == "v" for cell in row)]
    if len(first) < 2 * _LEAST_EACH or len({len(row) for row in first}) != 1 or (at := _places(first)) is None:
        return None
    body = [row for row in rows if any(kind_of(cell) == "v" for cell in row)]
    if any(len(row) != len(first[0]) for row in body):
        return None
    often = Counter(str(row[at.name]).strip() for row in body)
    if not 2 <= len(often) <= _MOST_QUANTITIES or min(often.values()) < _LEAST_EACH:
        return None
    unit_of = {str(row[at.name]).strip(): str(row[at.unit]).strip() if at.unit >= 0 else "" for row in body}
    readings: dict[tuple[Cell, ...], dict[str, Cell]] = {}
    for row in body:
        readings.setdefault(tuple(row[i] for i in at.times), {})[str(row[at.name]).strip()] = row[at.value]
    if len(readings) > _TIMES_SHARE * len(body):
        return None
    titles = [f"{name} [{unit_of[name]}]" if unit_of[name] else name for name in often]
    if len({meaning.quantity for title in titles if (meaning := meaning_of(title))}) < 2:
        return None
    head: list[Cell] = [*("Date" if is_date(body[0][i]) else "Time" for i in at.times), *titles]
    made = [[*moment, *(found.get(name) for name in often)] for moment, found in readings.items()]
    return [head, *made], f"Each row tells one of {len(often)} quantities; those of one time are taken together."
