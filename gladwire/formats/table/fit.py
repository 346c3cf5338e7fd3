"""Where in a text the rows of numbers are, under which delimiter and decimal sign."""

from __future__ import annotations

from dataclasses import dataclass

from gladwire.formats.errors import UnreadableError
from gladwire.formats.table.cells import DELIMITERS, cells, is_missing, is_value

_LOOK_AT_LINES = 600
_SURELY_A_TABLE = 40
_ENOUGH_ROWS = 200


@dataclass(frozen=True)
class Fit:
    """first: 0-based line of the first row; active: numbers of the columns that hold values; width: cells in a row; filled:
    cells of the rows that hold values."""

    delimiter: str
    comma: bool
    first: int
    rows: int
    width: int
    active: tuple[int, ...]
    filled: int = 0


def best_fit(lines: list[str]) -> Fit:
    """The best way to read the lines as a table. Raises UnreadableError where there is none."""
    for lenient in (False, True):
        fits = [
            fit
            for d in DELIMITERS
            for comma in (False, True)
            if _worth_trying(lines, d, comma) and (fit := _fit(lines, d, comma, lenient))
        ]
        if fits:
            return _prefer_decimal_comma(lines, max(fits, key=_merit), fits)
    raise _no_table(lines)


def _merit(fit: Fit) -> tuple[int, bool, int, int, int, bool]:
    """What a better fit has more of: rows, quotes about its cells, columns, cells; then the order of the delimiters."""
    order = DELIMITERS.index(fit.delimiter)
    return fit.rows, order == 0, len(fit.active), fit.filled, -order, not fit.comma


def _worth_trying(lines: list[str], delimiter: str, comma: bool) -> bool:
    """Whether delimiter and decimal comma occur at all; without any delimiter one column is tried once, by tabs."""
    seen = "\n".join(lines[:_LOOK_AT_LINES])
    if comma and ("," not in seen or (delimiter == "," and '"' not in seen)):
        return False
    if delimiter == '","':  # every cell in quotes
        return any(line.startswith('"') and delimiter in line for line in lines[:_LOOK_AT_LINES])
    return delimiter == "\t" or delimiter in seen


def _no_table(lines: list[str]) -> UnreadableError:
    shown = next((line.strip() for line in lines if line.strip()), "")
    if not shown:
        return UnreadableError("the file is empty; a table of numbers was expected")
    where = next(i for i, line in enumerate(lines) if line.strip()) + 1
    what = f"rows of numbers were expected (time and volts, say); found “{shown[:50]}” and no rows of numbers after it"
    return UnreadableError(what, line=where)


def _fit(lines: list[str], delimiter: str, comma: bool, lenient: bool) -> Fit | None:
    """The longest run of rows of values under one delimiter and decimal sign. lenient: text columns may stand among them."""
    limit = min(len(lines), _LOOK_AT_LINES)
    shapes: list[tuple[int, tuple[int, ...]]] = []

    def shape(index: int) -> tuple[int, tuple[int, ...]]:
        while len(shapes) <= index:
            shapes.append(_shape(lines[len(shapes)], delimiter, comma, lenient))
        return shapes[index]

    best: tuple[int, int, tuple[int, ...], int, int] | None = None
    at = 0
    while at < limit:
        active = shape(at)[1]
        if not active:
            at += 1
            continue
        end, rows, filled = at, 0, 0
        # A blank line, or a row that misses some values or all of them, does not end the run.
        while (
            end < limit
            and rows < _ENOUGH_ROWS
            and (_fits_in(shape(end)[1], active) or _holds_nothing(lines[end], delimiter))
        ):
            rows += bool(shape(end)[1])
            filled += len(shape(end)[1])
            end += 1
        if best is None or rows > best[0]:
            best = (rows, at, active, max(shape(k)[0] for k in range(at, end)), filled)
        # The first long run is the table; what ends it early is a bad row, to be refused at its line.
        if rows >= _SURELY_A_TABLE:
            break
        at = max(end, at + 1)
    if best is None or best[0] < 3:
        return None
    rows, first, active, width, filled = best
    while first > 0 and shape(first - 1)[0] <= width and _row_fits(lines[first - 1], delimiter, comma, active):
        first -= 1
    first = _over_side_preamble(lines, delimiter, comma, first, active, width)
    return Fit(delimiter, comma, first, rows, width, active, filled)


def _holds_nothing(line: str, delimiter: str) -> bool:
    """Whether a line is blank, or holds words for nothing read alone."""
    return not line.strip() or all(is_missing(cell) for cell in cells(line, delimiter))


def _row_fits(line: str, delimiter: str, comma: bool, active: tuple[int, ...]) -> bool:
    """Whether a row has a value or a word for none in each of the columns, and a value in one."""
    parts = cells(line, delimiter)
    if len(parts) <= max(active):
        return False
    held = [parts[i] for i in active]
    return all(is_value(c, comma) or (c and is_missing(c)) for c in held) and any(is_value(c, comma) for c in held)


def _fits_in(shape: tuple[int, ...], active: tuple[int, ...]) -> bool:
    return bool(shape) and set(shape) <= set(active)


def _shape(line: str, delimiter: str, comma: bool, lenient: bool) -> tuple[int, tuple[int, ...]]:
    """(cells, those holding values); none when anything but values and missing words is there, unless lenient."""
    parts = cells(line, delimiter)
    width = len(parts)
    while parts and parts[-1] == "":
        parts.pop()
    active = []
    for index, part in enumerate(parts):
        if is_value(part, comma):
            active.append(index)
        elif not lenient and not is_missing(part):
            return width, ()
    if lenient:
        return width, tuple(active)
    # Leading empty cells stay out; missing values between numbers are part of the row.
    return width, tuple(range(active[0], len(parts))) if active else ()


def _over_side_preamble(
    lines: list[str], delimiter: str, comma: bool, first: int, active: tuple[int, ...], width: int
) -> int:
    """Some tables carry keys in their left columns beside the first numbers: those rows count as well."""
    if not active or active[0] < 2:
        return first
    while first > 0:
        parts = cells(lines[first - 1], delimiter)
        if len(parts) < max(active) + 1 or any(not is_value(parts[i], comma) for i in active):
            break
        first -= 1
    return first


def _prefer_decimal_comma(lines: list[str], fit: Fit, fits: list[Fit]) -> Fit:
    """ "9,02" is one number with a decimal comma rather than two, when the second never has a sign or a point."""
    if fit.delimiter != "," or len(fit.active) != 2:
        return fit
    other = next((f for f in fits if f.comma and len(f.active) == 1 and f.rows >= fit.rows), None)
    if other is None:
        return fit
    rows = [cells(line, ",") for line in lines[fit.first : fit.first + 200] if line.strip()]
    rows = [row for row in rows if not (len(row) == 1 and is_missing(row[0]))]
    seconds = [row[-1] for row in rows if len(row) == 2]
    header = cells(lines[fit.first - 1], ",") if fit.first else []
    plain = (
        len(seconds) >= 0.9 * len(rows)
        and all(part.isdigit() for part in seconds)
        and len({len(part) for part in seconds}) <= 2
    )
    named = len(header) == 2 and not any(cell[:1].isdigit() for cell in header)
    return other if plain and not named else fit
