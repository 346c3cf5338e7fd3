"""What kind of table a text is: delimiter, decimal sign, where the numbers begin, what the columns and preamble say.

Example of what has to be understood (one of many shapes)::

    Record Length;2500           <- preamble of keys and values
    Sample Interval;1,0E-05
    Time;CH1;CH2                 <- one or two header rows
    (s);(V);(mV)                 <- perhaps a row of units
    -0,0125;9,02;141,3           <- numbers, here with a decimal comma
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from itertools import pairwise

from gladwire.formats.errors import UnreadableError

MISSING: tuple[str, ...] = (
    "nan",
    "+nan",
    "-nan",
    "inf",
    "+inf",
    "-inf",
    "infinity",
    "-infinity",
    "∞",
    "+∞",
    "-∞",
    "−∞",
    "ol",
    "-ol",
    "null",
    "none",
    "n/a",
    "na",
    "#n/a",
    "---",
    "----",
    "-----",
    "***",
    "****",
    "*****",
    "#####",
    "",
)
_NUMBER_DOT = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?")
_NUMBER_COMMA = re.compile(r"[+-]?(\d+,?\d*|,\d+)([eE][+-]?\d+)?")
_LOOK_AT_LINES = 600
_SURELY_A_TABLE = 40
_DELIMITERS = ("\t", ";", ",", "|", " ")

UNIT_FACTORS = {
    "time": {
        "s": 1.0, "sec": 1.0, "second": 1.0, "seconds": 1.0, "ms": 1e-3, "msec": 1e-3, "us": 1e-6, "µs": 1e-6,
        "μs": 1e-6, "usec": 1e-6, "ns": 1e-9, "min": 60.0,
    },
    "V": {"v": 1.0, "volt": 1.0, "volts": 1.0, "mv": 1e-3, "kv": 1e3, "uv": 1e-6, "µv": 1e-6},
    "A": {"a": 1.0, "amp": 1.0, "ampere": 1.0, "amps": 1.0, "ma": 1e-3, "ka": 1e3, "µa": 1e-6, "ua": 1e-6},
    "ohm": {"ohm": 1.0, "ohms": 1.0, "ω": 1.0, "kohm": 1e3, "kω": 1e3},
}  # fmt: skip
_TIME_NAME = re.compile(r"^(time|t|x|x[ -_]?axis|zeit|temps|tiempo|tempo|tijd|seconds?|relative time|timestamp)$")
_INDEX_NAME = re.compile(
    r"^(index|sample|samples|sample (no|number|index)|point|points|no|nr|n|#|sequence|count|idx|x)$"
)
_INTERVAL_KEY = re.compile(
    r"^(sampl\w* (interval|period|time)|(x|time|horizontal)[ _]?incr\w*|incr\w*|delta ?[tx]|d[tx]|t ?interval"
    r"|interval|time ?(step|resolution|per sample)|h(orizontal)? ?resolution|tastintervall|abtastintervall)$"
)
_RATE_KEY = re.compile(r"^(sampl\w* (rate|freq\w*)|samplerate|fs|rate|abtastrate|sps|samples? per second)$")
_START_KEY = re.compile(
    r"^(start|start time|first point|(x|time|horizontal) ?(zero|origin|start)|t0|time offset|x ?zero)$"
)
_WHEN_KEY = re.compile(
    r"^(date|datetime|trigger (date|time)|time ?stamp|recorded|acquired|measurement time|date time)$"
)
_RATE_UNITS = {
    "hz": 1.0,
    "khz": 1e3,
    "mhz": 1e6,
    "s/s": 1.0,
    "sa/s": 1.0,
    "ks/s": 1e3,
    "ksa/s": 1e3,
    "ms/s": 1e6,
    "msa/s": 1e6,
}


@dataclass(frozen=True)
class Column:
    """A column: name and unit as written, kind ("time", "index", "V", "A", "ohm" or ""), factor to SI."""

    name: str
    unit: str
    kind: str
    factor: float


@dataclass(frozen=True)
class Dialect:
    """How to read a text. first_line is 0-based; active are the numbers of the columns that hold numbers."""

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
    keys: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class _Fit:
    delimiter: str
    comma: bool
    first: int
    rows: int
    width: int
    active: tuple[int, ...]


def cells(line: str, delimiter: str) -> list[str]:
    """The cells of a line, stripped of blanks and quotes."""
    parts = line.split() if delimiter == " " else line.split(delimiter)
    return [part.strip().strip('"').strip() for part in parts]


def number(cell: str, comma: bool) -> float | None:
    """The cell as a number, or None; missing-value words are None too."""
    pattern = _NUMBER_COMMA if comma else _NUMBER_DOT
    return float(cell.replace(",", ".")) if pattern.fullmatch(cell) else None


def find_dialect(text: str, complete: bool) -> Dialect:
    """Understand the head of a text. complete: the text is the whole file (its last line is not cut).

    Raises UnreadableError with the line where numbers were expected.
    """
    lines = text.split("\n")
    if not complete and len(lines) > 1:
        lines = lines[:-1]
    fits = [
        fit
        for d in _DELIMITERS
        for comma in (False, True)
        if _worth_trying(lines, d, comma) and (fit := _fit(lines, d, comma))
    ]
    if not fits:
        raise _no_table(lines)
    fit = max(fits, key=lambda f: (f.rows, len(f.active), -_DELIMITERS.index(f.delimiter), not f.comma))
    fit = _prefer_decimal_comma(lines, fit, fits)
    head = lines[: fit.first]
    keys = _preamble(lines[: fit.first + 40], fit)
    columns = _columns(head, fit, lines[fit.first : fit.first + 200])
    interval, start = _spacing(keys, fit.comma)
    when = next((value for key, value in keys.items() if _WHEN_KEY.match(key)), "")
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
        keys=keys,
    )


def _worth_trying(lines: list[str], delimiter: str, comma: bool) -> bool:
    """Whether delimiter and decimal comma occur at all; without any delimiter one column is tried once, by tabs."""
    seen = "\n".join(lines[:_LOOK_AT_LINES])
    if comma and (delimiter == "," or "," not in seen):
        return False
    return delimiter == "\t" or delimiter in seen


def _no_table(lines: list[str]) -> UnreadableError:
    shown = next((line.strip() for line in lines if line.strip()), "")
    if not shown:
        return UnreadableError("the file is empty; a table of numbers was expected")
    where = next(i for i, line in enumerate(lines) if line.strip()) + 1
    what = f"rows of numbers were expected (time and volts, say); found “{shown[:50]}” and no rows of numbers after it"
    return UnreadableError(what, line=where)


def _fit(lines: list[str], delimiter: str, comma: bool) -> _Fit | None:
    """The longest run of numeric lines under one delimiter and decimal sign."""
    shapes = [_shape(line, delimiter, comma) for line in lines[:_LOOK_AT_LINES]]
    best: tuple[int, int, tuple[int, ...], int] | None = None
    at = 0
    while at < len(shapes):
        active = shapes[at][1]
        if not active:
            at += 1
            continue
        end, rows = at, 0
        # A blank line, or a row that misses some values, does not end the run.
        while end < len(shapes) and (not lines[end].strip() or (shapes[end][1] and set(shapes[end][1]) <= set(active))):
            rows += bool(shapes[end][1])
            end += 1
        if best is None or rows > best[0]:
            best = (rows, at, active, max(shape[0] for shape in shapes[at:end]))
        # The first long run is the table; what ends it early is a bad row, to be refused at its line.
        if rows >= _SURELY_A_TABLE:
            break
        at = max(end, at + 1)
    if best is None or best[0] < 3:
        return None
    rows, first, active, width = best
    while first > 0 and set(shapes[first - 1][1]) >= set(active) and shapes[first - 1][0] <= width:
        first -= 1
    first = _over_side_preamble(lines, delimiter, comma, first, active, width)
    return _Fit(delimiter, comma, first, rows, width, active)


def _shape(line: str, delimiter: str, comma: bool) -> tuple[int, tuple[int, ...]]:
    """(cells, those holding numbers); no active cells when anything else than numbers and missing words is there."""
    parts = cells(line, delimiter)
    width = len(parts)
    while parts and parts[-1] == "":
        parts.pop()
    active = []
    for index, part in enumerate(parts):
        if number(part, comma) is not None:
            active.append(index)
        elif part.lower() not in MISSING:
            return width, ()
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
        if len(parts) < max(active) + 1 or any(number(parts[i], comma) is None for i in active):
            break
        first -= 1
    return first


def _prefer_decimal_comma(lines: list[str], fit: _Fit, fits: list[_Fit]) -> _Fit:
    """ "9,02" is one number with a decimal comma rather than two, when the second never has a sign or a point."""
    if fit.delimiter != "," or len(fit.active) != 2:
        return fit
    other = next((f for f in fits if f.comma and len(f.active) == 1 and f.rows == fit.rows), None)
    if other is None:
        return fit
    rows = [cells(line, ",") for line in lines[fit.first : fit.first + 200] if line.strip()]
    seconds = [row[-1] for row in rows if len(row) == 2]
    header = cells(lines[fit.first - 1], ",") if fit.first else []
    plain = all(part.isdigit() for part in seconds) and len({len(part) for part in seconds}) <= 2
    return other if plain and len(header) != 2 else fit


def _preamble(head: list[str], fit: _Fit) -> dict[str, str]:
    """Keys (lower case) to values: "key: value", "key=value", "key<delimiter>value", or a row of keys over their values."""
    found: dict[str, str] = {}
    rows = [cells(line, fit.delimiter) for line in head]
    for index, (line, row) in enumerate(zip(head, rows, strict=True)):
        if index < fit.first or fit.active[0] >= 2:
            _one_pair(line, row, found)
    for upper, lower in pairwise(rows[: fit.first + 1]):
        for name, value in zip(upper, lower, strict=False):
            known = _INTERVAL_KEY.match(_key(name)) or _START_KEY.match(_key(name)) or _RATE_KEY.match(_key(name))
            if known and number(value, fit.comma) is not None:
                found.setdefault(_key(name), value)
    return found


def _one_pair(line: str, row: list[str], found: dict[str, str]) -> None:
    text = line.strip().lstrip("#%;/ ").strip('"')
    if len(row) >= 2 and row[0] and row[1]:
        unit = row[2] if len(row) > 2 and re.fullmatch(r"[A-Za-zµμ/]{1,6}", row[2]) else ""
        found.setdefault(_key(row[0]), f"{row[1]} {unit}".strip())
        key_unit = re.search(r"[\[(]([^\])]+)[\])]", row[0])
        if key_unit and not unit:
            found[_key(row[0])] = f"{row[1]} {key_unit.group(1)}"
    match = re.match(r"([^:=;\t]{1,40})[:=;\t]\s*(.+)$", text)
    if match:
        found.setdefault(_key(match.group(1)), match.group(2).strip().strip('"').strip())


def _key(name: str) -> str:
    name = re.sub(r"[\[(].*?[\])]", "", name).lower().strip(" :#\"'")
    return re.sub(r"[\s_]+", " ", name)


def _spacing(keys: dict[str, str], comma: bool) -> tuple[float | None, float | None]:
    """(interval, start) in seconds from the preamble."""
    interval = start = None
    for key, value in keys.items():
        if interval is None and _INTERVAL_KEY.match(key):
            interval = _quantity(value, comma, UNIT_FACTORS["time"])
        elif interval is None and _RATE_KEY.match(key):
            rate = _quantity(value, comma, _RATE_UNITS)
            interval = 1.0 / rate if rate else None
        elif start is None and _START_KEY.match(key):
            start = _quantity(value, comma, UNIT_FACTORS["time"])
    return (interval if interval and interval > 0 else None), start


def _quantity(text: str, comma: bool, units: dict[str, float]) -> float | None:
    match = re.match(r"\s*([+-]?[\d.,]+(?:[eE][+-]?\d+)?)\s*([^\s,;]*)", text)
    if not match:
        return None
    value = number(match.group(1), comma and "," in match.group(1))
    return None if value is None else value * units.get(match.group(2).lower(), 1.0)


def _columns(head: list[str], fit: _Fit, body: list[str]) -> tuple[Column, ...]:
    """Names, units and kinds of the active columns from up to three rows above the numbers."""
    rows = [
        row for line in head[-4:] if len(row := cells(line, fit.delimiter)) > max(fit.active) or _is_header(row, fit)
    ]
    rows = [row + [""] * (max(fit.active) + 1 - len(row)) for row in rows]
    units_row = next((row for row in reversed(rows[-1:]) if _is_units_row(row, fit)), None)
    names = [row for row in rows if row is not units_row and not any(number(c, fit.comma) is not None for c in row)][
        -2:
    ]
    columns = []
    for order, index in enumerate(fit.active):
        parts = [row[index] for row in names if row[index]]
        name, unit = _name_and_unit(" ".join(dict.fromkeys(parts)))
        unit = (units_row[index].strip("()[] ") if units_row else "") or unit
        columns.append(_column(name, unit, order, len(fit.active), body, index, fit))
    return tuple(columns)


def _is_header(row: list[str], fit: _Fit) -> bool:
    return len(row) == len(fit.active) and len(row) > 1


def _is_units_row(row: list[str], fit: _Fit) -> bool:
    texts = [row[i].strip("()[] ").lower() for i in fit.active]
    known = [t for t in texts if any(t in table for table in UNIT_FACTORS.values())]
    return bool(known) and all(t in known or t == "" for t in texts)


def _name_and_unit(text: str) -> tuple[str, str]:
    match = re.match(r"^(.*?)\s*[\[(]([^\])]*)[\])]\s*$", text)
    if match:
        return match.group(1).strip(), match.group(2).strip()
    match = re.match(r"^(.*?)\s*[/_,]\s*([A-Za-zµμΩ]{1,5})$", text)
    if match and any(match.group(2).lower() in table for table in UNIT_FACTORS.values()):
        return match.group(1).strip(), match.group(2).strip()
    if any(text.lower() in table for table in UNIT_FACTORS.values()) and len(text) > 1:
        return "", text
    return text, ""


def _column(name: str, unit: str, order: int, count: int, body: list[str], index: int, fit: _Fit) -> Column:
    low, key = unit.lower(), name.lower().strip()
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


def _values(body: list[str], index: int, fit: _Fit) -> list[float]:
    rows = (cells(line, fit.delimiter) for line in body if line.strip())
    found = (number(row[index], fit.comma) for row in rows if len(row) > index)
    return [value for value in found if value is not None]


def _counts_up(body: list[str], index: int, fit: _Fit) -> bool:
    values = _values(body, index, fit)
    return len(values) > 2 and all(b - a == 1 for a, b in pairwise(values))


def _rises(body: list[str], index: int, fit: _Fit) -> bool:
    values = _values(body, index, fit)
    return len(values) > 2 and values[-1] > values[0] and all(b >= a for a, b in pairwise(values))
