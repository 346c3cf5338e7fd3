"""Tables of samples in shapes the fast reader refuses, written anew as plain ones: units in the cells, clocks of minutes and
seconds, the newest row first, a header on every page, channels one under the other, sheets of a workbook.

Only what leaves no doubt is written anew: a cell that is no number, or a time that jumps, is refused as before.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gladwire.core.signal.waveform import Floats
from gladwire.formats.errors import UnreadableError
from gladwire.formats.power_rows import Table, find_table
from gladwire.formats.table.grid import kind_of
from gladwire.formats.table.moments import times_of
from gladwire.formats.table.power_columns import NO_UNIT, name_and_unit, unit_of
from gladwire.formats.table.values import Cell, filled, is_missing, split_unit

# The most cells that are written anew: a table of more is written by no person, and takes long.
_MOST_CELLS = 5_000_000
_LEAST_ROWS = 8
_KINDS = {"v": "V", "a": "A"}


class Tidy(NamedTuple):
    """text: a plain table of times in seconds and channels. remarks: what was done."""

    text: bytes
    remarks: tuple[str, ...]


def tidied(rows: Sequence[Sequence[Cell]]) -> Tidy | None:
    """None where it is no such table."""
    if sum(map(len, rows)) > _MOST_CELLS:
        return None
    remarks: list[str] = []
    rows = _without_repeats(_side_by_side(rows, remarks), remarks)
    table = find_table(rows)
    if table is None or not table.time_columns or len(table.body) < _LEAST_ROWS:
        return None
    try:
        times, told = _times(table)
    except UnreadableError:
        return None
    channels = [i for i in table.grid.columns if i not in table.time_columns and not table.is_count(i)]
    if not channels or any(_has_text(table, i) for i in channels):
        return None
    if table.grid.left:
        remarks.append(f"Below the readings {table.grid.what_is_left}; left out.")
    order = slice(None)
    if (np.diff(times) < 0).all():
        remarks.append("The rows stand newest first; they are turned.")
        order = slice(None, None, -1)
        times = times[::-1]
    head, columns = ["Time (s)"], [times]
    for index in channels:
        name, unit = name_and_unit(table.title(index))
        kind, factor, _ = unit_of(unit) or NO_UNIT
        shown = _KINDS.get(kind, "" if kind else unit)
        values = table.values(index)[order] * (factor if kind in _KINDS else 1.0)
        head.append(_plain(name, index) + (f" ({shown})" if shown else ""))
        columns.append(values)
    if told:
        remarks.append(f"Times count from the first sample, {told}.")
    lines = [",".join("" if v != v else f"{v:.9g}" for v in row) for row in zip(*columns, strict=True)]
    return Tidy("\n".join([",".join(head), *lines, ""]).encode(), tuple(remarks))


def _times(table: Table) -> tuple[Floats, str]:
    """(seconds, the first moment as told where the table tells a clock). Raises UnreadableError."""
    column = table.time_columns[0]
    meaning = table.meanings[column]
    factor = meaning.factor if meaning and meaning.quantity == "time" and meaning.sure == 2 else None
    cells = table.column(column)
    units = {split[1] for cell in cells if isinstance(cell, str) and (split := split_unit(cell))}
    if len(units) > 1:
        raise UnreadableError("times of several units")
    found = times_of(cells, [number for number, _ in table.body], table.numbers, factor)
    return found.times_s, found.recorded_at


def _has_text(table: Table, index: int) -> bool:
    """Whether a cell of a column holds what is neither a number in its kind of unit nor a word for none."""
    cells, values = table.column(index), table.values(index)
    return any(v != v and filled(cell) and not is_missing(cell) for cell, v in zip(cells, values, strict=True))


def _plain(name: str, index: int) -> str:
    return " ".join(name.replace(",", " ").replace('"', "").split()) or f"Channel {index}"


def _without_repeats(rows: Sequence[Sequence[Cell]], remarks: list[str]) -> list[Sequence[Cell]]:
    """Without the header that stands on every page: rows of text that were there already, below numbers."""
    seen: set[tuple[Cell, ...]] = set()
    kept: list[Sequence[Cell]] = []
    numbers = repeated = 0
    for row in rows:
        kinds = {kind_of(cell) for cell in row} - {""}
        if kinds == {"x"}:
            if tuple(row) in seen and numbers >= _LEAST_ROWS:
                repeated += 1
                continue
            seen.add(tuple(row))
        numbers += "v" in kinds and "x" not in kinds
        kept.append(row)
    if repeated:
        remarks.append(f"The header stands {repeated + 1} times; it is taken once.")
    return kept


def _side_by_side(rows: Sequence[Sequence[Cell]], remarks: list[str]) -> Sequence[Sequence[Cell]]:
    """Tables of one channel each, at the same times, one under the other: as one."""
    blocks: list[list[Sequence[Cell]]] = []
    heads: list[list[Sequence[Cell]]] = [[]]
    inside = False
    for row in rows:
        kinds = {kind_of(cell) for cell in row} - {""}
        if "v" in kinds and "x" not in kinds and len(row) == 2:
            if not inside:
                blocks.append([])
            blocks[-1].append(row)
            inside = True
        elif kinds:
            if inside:
                heads.append([])
            heads[-1].append(row)
            inside = False
    first = [row[0] for row in blocks[0]] if blocks else []
    if len(blocks) < 2 or len(first) < _LEAST_ROWS or any([row[0] for row in b] != first for b in blocks[1:]):
        return rows
    named = [_name_of(head, number) for number, head in enumerate(heads[: len(blocks)])]
    time = str(heads[0][-1][0]) if heads[0] and len(heads[0][-1]) > 1 else "Time"
    remarks.append(f"{len(blocks)} channels stand one under the other at the same times; they are taken together.")
    return [[time, *named], *([at, *(b[i][1] for b in blocks)] for i, at in enumerate(first))]


def _name_of(head: Sequence[Sequence[Cell]], number: int) -> str:
    """The title over a block with the name of its second column."""
    texts = [str(cell).strip() for row in head for cell in row[-1:] if cell is not None and str(cell).strip()]
    return " ".join(dict.fromkeys(texts)) or f"Channel {number + 1}"
