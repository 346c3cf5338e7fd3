"""A label's text, typed, pasted or scanned, read into the figures a piece of equipment has. What is read is proposed and
never kept by itself. How labels are worded: common practice, no source.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from gladwire.core.power.equipment import SPECS, Kind

_NUMBER = r"(\d+(?:[.,]\d+)?)"
_TO = r"\s*(?:-|–|\.\.\.?|…|to|bis|/)\s*"


class Read(NamedTuple):
    """One figure a label tells: its field, its value as a form has it, and the words it was read from."""

    field: str
    value: str
    words: str


def _pattern(words: str) -> re.Pattern[str]:
    return re.compile(words, re.IGNORECASE)


_KW = _pattern(rf"{_NUMBER}\s*kW(?!\s*h)\b")
_KWH = _pattern(rf"{_NUMBER}\s*kWh\b")
_AMPS = _pattern(rf"{_NUMBER}\s*A(?:mps?|dc|ac)?\b(?!h)")
_VOLTS = _pattern(rf"{_NUMBER}\s*V(?:dc|ac|=|~|⎓)?(?![a-z])")
_VOLTS_BAND = _pattern(rf"{_NUMBER}\s*V?(?:dc)?{_TO}{_NUMBER}\s*V(?:dc|=|⎓)?(?![a-z])")
_PHASES = _pattern(r"\b([13])\s*(?:~|ph(?:ase)?s?\b|N\s*~|P\s*\+)")
_CORES = _pattern(rf"\b(\d)\s*(?:[GX×x])\s*{_NUMBER}(?:\s*mm\s*(?:²|2))?")
_METRES = _pattern(rf"{_NUMBER}\s*m(?:etres?|eters?)?\b(?!m)")
_CAT = r"CAT\.?\s*(?:IV|III|II|I|[1-4])\b"
_ONE_CATEGORY = rf"(?:{_CAT}\s*\d{{3,4}}\s*V|\d{{3,4}}\s*V\s*{_CAT})"
_CATEGORY = _pattern(rf"{_ONE_CATEGORY}(?:\s*/\s*{_ONE_CATEGORY})*")
_CALIBRATED = _pattern(r"(?:cal\w*|next)\D{0,20}?(\d{4}-\d{2}-\d{2})")
_PLUGS = _pattern(
    r"(?:Type\s*[12](?:\s*,?\s*(?:tethered|socket))?|J\s?1772|J\s?3400|CCS\s?[12]?|Combo\s?[12]|CHAdeMO|GB/T)"
)
_PACK_CLASSES = (400.0, 800.0)


def read_label(kind: Kind, text: str) -> tuple[Read, ...]:
    """Figures of the kind that the text tells, each once; of a figure named twice with different values none is read."""
    found: dict[str, Read] = {}
    twice = set[str]()
    for one in _all(kind, " ".join(text.split())):
        if one.field in SPECS[kind].model_fields:
            if one.field in found and found[one.field].value != one.value:
                twice.add(one.field)
            found.setdefault(one.field, one)
    return tuple(one for key, one in found.items() if key not in twice)


def _number(text: str) -> str:
    return text.replace(",", ".")


def _all(kind: Kind, text: str) -> Iterator[Read]:
    if kind == "instrument":
        for match in _CATEGORY.finditer(text):
            yield Read("category", match[0], match[0])
        for match in _CALIBRATED.finditer(text):
            yield Read("calibrated_until", match[1], match[0])
        return
    for match in _PLUGS.finditer(text):
        yield Read("connectors", match[0], match[0])
    for match in _CORES.finditer(text):
        yield Read("cores", f"{match[1]} × {_number(match[2])} mm²", match[0])
    if kind in ("stall", "lead"):
        yield from _each("reach_m", _METRES, _CORES.sub(" ", text))
    phases = [m[1] for m in _PHASES.finditer(text)]
    yield from _of[kind](text, phases) if kind in _of else ()


def _each(field: str, pattern: re.Pattern[str], text: str) -> Iterator[Read]:
    for match in pattern.finditer(text):
        yield Read(field, _number(match[1]), match[0])


def _stall(text: str, phases: list[str]) -> Iterator[Read]:
    yield from _each("announced_kw", _KW, text)
    if phases and not _VOLTS_BAND.search(text):  # of an AC post; a DC post's phases and their amperes are its supply's
        yield from (Read("ac_phases", n, f"{n}~") for n in phases)
        yield from _each("offer_a", _AMPS, text)
        return
    for match in _VOLTS_BAND.finditer(text):
        low, high = sorted((float(_number(match[1])), float(_number(match[2]))))
        yield Read("post_min_v", f"{low:g}", match[0])
        yield Read("post_v", f"{high:g}", match[0])
    if _VOLTS_BAND.search(text) and not phases:
        yield from _each("post_a", _AMPS, text)


def _vehicle(text: str, phases: list[str]) -> Iterator[Read]:
    yield from _each("pack_kwh", _KWH, text)
    yield from (Read("onboard_phases", n, f"{n}~") for n in phases)
    if phases:
        yield from _each("onboard_a", _AMPS, text)
    for match in _VOLTS.finditer(text):
        if float(_number(match[1])) in _PACK_CLASSES and not phases:
            yield Read("pack_class_v", _number(match[1]), match[0])


def _lead(text: str, phases: list[str]) -> Iterator[Read]:
    yield from _each("cable_a", _AMPS, text)


def _adapter(text: str, phases: list[str]) -> Iterator[Read]:
    """Its kW mean nothing without the volts they are stated at."""
    yield from _each("adapter_a_continuous", _AMPS, text)
    kw, volts = list(_KW.finditer(text)), list(_VOLTS.finditer(text))
    if len(kw) == 1 and len(volts) == 1 and not _AMPS.search(text):
        yield Read("label_kw", _number(kw[0][1]), kw[0][0])
        yield Read("label_v", _number(volts[0][1]), volts[0][0])


def _cabinet(text: str, phases: list[str]) -> Iterator[Read]:
    yield from _each("cabinet_kw", _KW, text)


def _site(text: str, phases: list[str]) -> Iterator[Read]:
    yield from _each("grid_kw", _KW, text)
    yield from _each("buffer_kwh", _KWH, text)


_of = {"stall": _stall, "vehicle": _vehicle, "lead": _lead, "adapter": _adapter, "cabinet": _cabinet, "site": _site}
