"""Lines in which every value stands with its name: “U=352.1V I=278A SOC=43%” or a JSON object a line, as a table.

2026-03-09 14:02:10 U=352.1V I=278.4A P=98.0kW SOC=43%
{"ts": "2026-03-09T14:02:10", "kw": 98.0, "soc": 43}
"""

from __future__ import annotations

import json
import re
from collections.abc import Sequence

from gladwire.formats.table.values import Cell, split_unit

_LOOK_AT, _NEARLY_ALL, _LEAST = 60, 0.8, 3
_PAIR = re.compile(
    r"([^\W\d][\w .%°/()\[\]-]{0,30}?)\s*[=:]\s*([-+]?\d[\d.,]*\s?(?:[%°]?[A-Za-z]{1,4}\b|%)?)(?=[\s;,|]|$)"
)


def rows_of_named(lines: Sequence[str]) -> list[list[Cell]] | None:
    """A header of names over rows of values, the text before the first name under “Time”; None where lines are not so."""
    told = [line for line in lines[:_LOOK_AT] if line.strip()]
    for parse in (_of_json, _of_pairs):
        found = [keys for line in told if (keys := parse(line))]
        if len(found) < max(_LEAST, _NEARLY_ALL * len(told)):
            continue
        names = list(dict.fromkeys(name for keys in found for name in keys))
        rows = [parse(line) for line in lines]
        return [list(names), *([keys.get(name) for name in names] for keys in rows if keys)]
    return None


def _of_json(line: str) -> dict[str, Cell]:
    text = line.strip().rstrip(",").lstrip("[")
    if not text.startswith("{"):
        return {}
    try:
        read = json.loads(text.rstrip("]") if text.endswith("}]") else text)
    except (ValueError, RecursionError):
        return {}
    if not isinstance(read, dict):
        return {}
    kept = {str(key): value for key, value in read.items() if isinstance(value, str | int | float)}
    return {key: value if isinstance(value, str) else repr(value) for key, value in kept.items()}


def _of_pairs(line: str) -> dict[str, Cell]:
    pairs = [m for m in _PAIR.finditer(line) if split_unit(m[2]) is not None]
    if len(pairs) < 2:
        return {}
    before = line[: pairs[0].start()].strip(" ,;|\t[]")
    found: dict[str, Cell] = {"Time": before} if any(c.isdigit() for c in before) else {}
    for match in pairs:
        found.setdefault(match[1].strip(" ,;|"), match[2].strip())
    return found
