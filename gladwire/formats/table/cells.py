"""Cells of a table: what splits a line, and what counts as a number, a clock time or a missing value."""

from __future__ import annotations

import csv
import re

from gladwire.formats.table.beyond import is_mark

MISSING: tuple[str, ...] = (
    "nan",
    "+nan",
    "-nan",
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
# What instruments write where a reading is beyond their range; with a point, whatever the decimal sign of the file is.
BEYOND_RANGE: tuple[str, ...] = (
    "9.9e37", "9.9e+37", "9.91e37", "9.91e+37", "-9.9e37", "-9.9e+37", "9.9e38", "9.9e+38", "1.797e308", "1.797e+308",
)  # fmt: skip
# Tried in this order; `","` is a table in which every cell stands in quotes.
DELIMITERS = ('","', "\t", ";", ",", "|", " ")
CLOCK = re.compile(r"(?:\d{4}[-/.]\d\d[-/.]\d\d[T ])?(\d{1,2}):(\d\d):(\d\d(?:[.,]\d+)?)Z?")
_NUMBER_DOT = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?")
_NUMBER_COMMA = re.compile(r"[+-]?(\d+,?\d*|,\d+)([eE][+-]?\d+)?")

UNIT_FACTORS = {
    "time": {
        "s": 1.0, "sec": 1.0, "second": 1.0, "seconds": 1.0, "ms": 1e-3, "msec": 1e-3, "us": 1e-6, "µs": 1e-6,
        "μs": 1e-6, "usec": 1e-6, "ns": 1e-9, "min": 60.0,
    },
    "V": {
        "v": 1.0, "volt": 1.0, "volts": 1.0, "mv": 1e-3, "mvolt": 1e-3, "mvolts": 1e-3, "kv": 1e3, "uv": 1e-6, "µv": 1e-6,
    },
    "A": {
        "a": 1.0, "amp": 1.0, "ampere": 1.0, "amps": 1.0, "ma": 1e-3, "mamp": 1e-3, "mamps": 1e-3, "ka": 1e3, "µa": 1e-6,
        "ua": 1e-6,
    },
    "ohm": {"ohm": 1.0, "ohms": 1.0, "ω": 1.0, "kohm": 1e3, "kω": 1e3},
}  # fmt: skip


# How a meter read it is no part of a unit; “ADC” alone is a converter, and what it counts no amperes.
_MANNER = re.compile(r"(?<=[va])[ ._]*(?:dc|ac|rms)$")
_SPELT = {
    "millivolt": "mv",
    "millivolts": "mv",
    "milliamp": "ma",
    "milliamps": "ma",
    "milliampere": "ma",
    "amperes": "a",
}


def unit_word(text: str) -> str:
    """A unit as `UNIT_FACTORS` has it where it does: “Vdc”, “V rms” and “millivolts” as “v”, “v” and “mv”."""
    word = text.lower().strip().replace("μ", "µ")
    word = word if word == "adc" else _MANNER.sub("", word)
    return _SPELT.get(word, word)


def cells(line: str, delimiter: str) -> list[str]:
    """The cells of a line, stripped of blanks and quotes."""
    if delimiter == '","':
        parts = next(csv.reader([line], skipinitialspace=True), [])
    elif '"' in line and len(delimiter) == 1 and delimiter != " ":
        # A delimiter within quotes, such as the decimal comma of a table split by commas, splits nothing.
        parts = next(csv.reader([line], delimiter=delimiter, skipinitialspace=True), [])
    else:
        parts = line.split() if delimiter == " " else line.split(delimiter)
    return [part.strip().strip('"').strip() for part in parts]


def number(cell: str, comma: bool) -> float | None:
    """The cell as a number, or None; missing-value words are None too."""
    pattern = _NUMBER_COMMA if comma else _NUMBER_DOT
    return float(cell.replace(",", ".")) if pattern.fullmatch(cell) else None


def is_missing(cell: str) -> bool:
    """Whether a cell says that nothing was read, or that it was beyond the range."""
    return (low := cell.lower()) in MISSING or low in BEYOND_RANGE or is_mark(cell)


def is_value(cell: str, comma: bool) -> bool:
    """Whether a cell holds a number or a clock time."""
    return number(cell, comma) is not None or CLOCK.fullmatch(cell) is not None
