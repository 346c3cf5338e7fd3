"""What stands before the numbers: keys and values, among them the sample interval and the start."""

from __future__ import annotations

import re
from itertools import pairwise

from gladwire.core.recognition.words import without_accents
from gladwire.formats.table.cells import UNIT_FACTORS, cells, number
from gladwire.formats.table.fit import Fit
from gladwire.formats.table.values import Numbers

# Stems of “sample”, “interval” and “rate” in eight languages, without accents. Common practice, no source.
_SAMPLE = r"(sampl|abtast|echantillon|muestre|campion|amostr|bemonster|probk|punkt)\w*"
_STEP = r"(interval\w*|period\w*|okres|zeit|pas|paso|step|tijdstap|tidssteg|krok)"
_INTERVAL_KEY = re.compile(
    rf"^({_SAMPLE} ?(interval\w*|period\w*|time|zeit)"
    rf"|({_STEP}|zeitschritt)( de| d| di| do| czasowy| temps| temporal)*( {_SAMPLE})?"
    r"|(x|time|horizontal) ?incr\w*|incr\w*|xincr|delta ?[tx]|d[tx]|t ?interval|time ?(step|resolution|per sample)"
    r"|h(orizontal)? ?resolution|pas de temps|paso de tiempo|passo temporale)$"
)
_RATE_KEY = re.compile(
    rf"^({_SAMPLE} ?(rate|freq\w*|frekvens)"
    rf"|(freq\w*|frec\w*|czestotliwosc|taux|tasa|taxa|tasso|cadence)( de| d| di)* ?{_SAMPLE}"
    r"|samplerate|fs|rate|sps|samples? per second)$"
)
_START_KEY = re.compile(
    r"^(start|start time|first point|(x|time|horizontal) ?(zero|origin|start)|t0|time offset|x ?zero)$"
)
WHEN_KEY = re.compile(r"^(date|datetime|trigger (date|time)|time ?stamp|recorded|acquired|measurement time|date time)$")
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


def preamble(head: list[str], fit: Fit) -> dict[str, str]:
    """Keys (lower case) to values: "key: value", "key=value", "key<delimiter>value", or a row of keys over their values."""
    found: dict[str, str] = {}
    rows = [cells(line, fit.delimiter) for line in head]
    for index, (line, row) in enumerate(zip(head, rows, strict=True)):
        if index < fit.first or fit.active[0] >= 2:
            _one_pair(line, row, found)
    for upper, lower in pairwise(rows[: fit.first + 1]):
        for name, value in zip(upper, lower, strict=False):
            known = _INTERVAL_KEY.match(key_of(name)) or _START_KEY.match(key_of(name)) or _RATE_KEY.match(key_of(name))
            if known and number(value, fit.comma) is not None:
                found.setdefault(key_of(name), value)
    return found


def _one_pair(line: str, row: list[str], found: dict[str, str]) -> None:
    text = line.strip().lstrip("#%;/ ").strip('"')
    if len(row) >= 2 and row[0] and row[1]:
        unit = row[2] if len(row) > 2 and re.fullmatch(r"[A-Za-zµμ/]{1,6}", row[2]) else ""
        found.setdefault(key_of(row[0]), f"{row[1]} {unit}".strip())
        key_unit = re.search(r"[\[(]([^\])]+)[\])]", row[0])
        if key_unit and not unit:
            found[key_of(row[0])] = f"{row[1]} {key_unit.group(1)}"
    match = re.match(r"([^:=;\t]{1,40})[:=;\t]\s*(.+)$", text)
    if match is None and len(row) < 2:
        match = re.match(r"([^,]{1,40}),\s*(.+)$", text)
    if match:
        value = match.group(2).strip().strip('"').strip()
        key_unit = re.search(r"[\[(]([^\])]+)[\])]", match.group(1))
        found.setdefault(key_of(match.group(1)), f"{value} {key_unit.group(1)}" if key_unit else value)


def key_of(name: str) -> str:
    """A key in lower case, without units in brackets and without accents."""
    return re.sub(r"['’\s_]+", " ", without_accents(re.sub(r"[\[(].*?[\])]", "", name)).strip(" :#\"'")).strip()


def is_spacing(line: str) -> bool:
    """Whether a line tells the rate or the interval of samples, and names no columns; a short key, “fs”, with its number."""
    name, *values = re.split(r"[:=;,\t]", line)
    key = key_of(name)
    told = len(key) > 6 or any(re.match(r"\s*[-+]?\d", value) for value in values)
    return told and bool(_INTERVAL_KEY.match(key) or _RATE_KEY.match(key))


def spacing(keys: dict[str, str], comma: bool) -> tuple[float | None, float | None]:
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
    value = Numbers(comma).value(match.group(1))
    return None if value is None else value * units.get(match.group(2).lower(), 1.0)
