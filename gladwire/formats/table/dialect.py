"""What kind of table a text is: delimiter, decimal sign, where the numbers begin, what the columns and preamble say.

Example of what has to be understood (one of many shapes)::

    Record Length;2500           <- preamble of keys and values
    Sample Interval;1,0E-05
    Time;CH1;CH2                 <- one or two header rows
    (s);(V);(mV)                 <- perhaps a row of units
    -0,0125;9,02;141,3           <- numbers, here with a decimal comma
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import MOST_COLUMNS
from gladwire.formats.table.cells import cells
from gladwire.formats.table.columns import Column, columns_of
from gladwire.formats.table.counts import Scaling, may_be_counts, scalings
from gladwire.formats.table.fit import Fit, best_fit
from gladwire.formats.table.preamble import WHEN_KEY, preamble, spacing

MINUS = "\u2212"


@dataclass(frozen=True)
class Dialect:
    """How to read a text. first_line is 0-based; active are the numbers of the columns that hold values.

    padded: blanks stand around cells. minus: the typographic minus sign is used. scalings: of the active columns, where they
    may hold counts and the preamble says what one is.
    """

    delimiter: str
    decimal_comma: bool
    first_line: int
    width: int
    active: tuple[int, ...]
    columns: tuple[Column, ...]
    interval_s: float | None = None
    start_s: float | None = None
    recorded_at: str = ""
    padded: bool = False
    minus: bool = False
    scalings: tuple[Scaling | None, ...] = ()


def find_dialect(text: str, complete: bool) -> Dialect:
    """Understand the head of a text. complete: the text is the whole file (its last line is not cut).

    Raises UnreadableError with the line where numbers were expected.
    """
    minus = MINUS in text
    lines = (text.replace(MINUS, "-") if minus else text).split("\n")
    if not complete and len(lines) > 1:
        lines = lines[:-1]
    fit = best_fit(lines)
    if fit.width > MOST_COLUMNS:
        raise UnreadableError(f"more than {MOST_COLUMNS} columns; that is beyond one capture", line=fit.first + 1)
    keys = preamble(lines[: fit.first + 40], fit)
    interval, start = spacing(keys, fit.comma)
    when = next((value for key, value in keys.items() if WHEN_KEY.match(key)), "")
    body = [cells(line, fit.delimiter) for line in lines[fit.first : fit.first + 200] if line.strip()]
    columns = columns_of(lines[: fit.first], fit, body)
    return Dialect(
        delimiter=fit.delimiter,
        decimal_comma=fit.comma,
        first_line=fit.first,
        width=fit.width,
        active=fit.active,
        columns=columns,
        interval_s=interval,
        start_s=start,
        recorded_at=when[:60],
        padded=fit.delimiter != " " and any(" " in line.strip() for line in lines[fit.first : fit.first + 20]),
        minus=minus,
        scalings=_scalings(lines[: fit.first], fit, columns),
    )


def _scalings(head: list[str], fit: Fit, columns: Sequence[Column]) -> tuple[Scaling | None, ...]:
    channels = [i for i, column in enumerate(columns) if column.kind not in ("time", "clock", "index")]
    told = dict(zip(channels, scalings(head, fit.delimiter, fit.comma, len(channels)), strict=True))
    open_ = [not column.kind and may_be_counts(column.unit) for column in columns]
    return tuple(told.get(i) if open_[i] else None for i in range(len(columns)))
