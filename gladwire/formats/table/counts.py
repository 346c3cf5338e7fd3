"""Samples told as counts of a converter, with what the preamble says of them.

volts = (count − reference) × increment + origin; what is called an offset is added by some and taken away by others.
Instruments call these by many names, in many languages, once for all channels or once for each. Common practice, no source.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from gladwire.core.signal.waveform import Samples, Waveform
from gladwire.formats.table.cells import UNIT_FACTORS, cells, unit_word
from gladwire.formats.table.preamble import key_of
from gladwire.formats.table.values import Numbers

_VERTICAL = r"(vertical|y|v|vert|ch ?\d|channel|kanal|canal|canale|volt\w*|spannung\w*)?"
_INCREMENT = re.compile(
    rf"^({_VERTICAL} ?(incr\w*|mult\w*|gain|scale factor|per count|per lsb|lsb|resolution|step)"
    r"|volts? ?(per|/) ?(count|lsb|bit|digit)|v/(count|lsb|bit|digit)|lsb( size)?|(skalierungs|skalen|umrechnungs)?faktor"
    r"|facteur( d ?echelle)?|factor de escala|fator de escala|fattore di scala|schaalfactor|skal(er)?ingsfaktor|skalfaktor"
    r"|skaleringsfaktor|wspolczynnik( skali)?|scale factor|scaling)$"
)
_REFERENCE = re.compile(
    rf"^({_VERTICAL} ?(ref\w*|zero (count|level|code|point)|offset (count|code)s?|mid ?(scale|code))|nullpunkt|referenz"
    r"|reference|referencia|riferimento|referentie|referens|referanse|odniesienie|zero adu|nullwert)$"
)
_ORIGIN = re.compile(rf"^({_VERTICAL} ?(orig\w*|zero)|ursprung|origine|origen|origem|oorsprong|poczatek)$")
_OFFSET = re.compile(
    rf"^({_VERTICAL} ?off(set)?( volts)?|offset|decalage|desplazamiento|verschiebung|verschuiving|przesuniecie|forskydning)$"
)
_KEYS = {"increment": _INCREMENT, "reference": _REFERENCE, "origin": _ORIGIN, "offset": _OFFSET}
_COUNTS = re.compile(r"^(counts?|adc|adu|lsb|raw|digits?|codes?|bits?|zahler|-|)$", re.IGNORECASE)
_VALUE = re.compile(r"\s*([+-]?[\d.,]+(?:[eE][+-]?\d+)?)\s*([^\s,;]*)")
# Fewer counts than this are no converter's.
_SPLITS = (":", "=", ";", "\t", ",")
_LEAST_COUNT, _MOST_COUNT = 10.0, 1e9


class Scaling(NamedTuple):
    """volts = (count − reference) × increment_v + origin_v, and offset_v more or less, or as many counts less: which, is not
    told."""

    increment_v: float
    reference: float = 0.0
    origin_v: float = 0.0
    offset_v: float = 0.0

    def read(self, counts: Waveform, sign: float) -> Waveform:
        """Counts in volts. sign: of the offset; 0 where it is one of counts."""
        # A number no converter gives is a mark for none.
        read = np.where(np.abs(counts.samples) < _MOST_COUNT, counts.samples, np.float32(np.nan))
        volts: Samples = (read - np.float32(self._nought(sign))) * np.float32(self.increment_v)
        origin = self.origin_v + sign * self.offset_v
        low, high = (
            None if end is None else (end - self._nought(sign)) * self.increment_v + origin for end in counts.ends
        )
        return replace(counts, samples=volts + np.float32(origin), unit="V", ends=(low, high))

    def _nought(self, sign: float) -> float:
        return self.reference if sign else self.reference + self.offset_v

    def says(self, sign: float) -> str:
        nought = self._nought(sign)
        counts = f"(count − {nought:g})" if nought else "count"
        added = self.origin_v + sign * self.offset_v
        origin = f" {'+' if added > 0 else '−'} {abs(added):g} V" if added else ""
        return f"{counts} × {self.increment_v:g} V{origin}"


def may_be_counts(unit: str) -> bool:
    """Whether a column's unit leaves it open that it holds counts."""
    return _COUNTS.match(unit) is not None


def is_counts(samples: Samples) -> bool:
    """Whether all that was read are whole numbers, and some large."""
    known = samples[np.isfinite(samples)]
    return bool(len(known) and np.abs(known).max() >= _LEAST_COUNT and (known == np.round(known)).all())


def scalings(head: Sequence[str], delimiter: str, comma: bool, channels: int) -> list[Scaling | None]:
    """Of each channel what the preamble says; None where no increment is told. head: the lines before the numbers."""
    found: dict[str, list[float]] = {}
    for line in head:
        text = line.strip().lstrip("#%;/ ")
        for parts in (cells(text, delimiter), *([p.strip(' "') for p in text.split(d, 1)] for d in _SPLITS)):
            if len(parts) < 2:
                continue
            key, values = key_of(parts[0]), _values(parts, comma)
            for name, pattern in _KEYS.items():
                if values and pattern.match(key):
                    found.setdefault(name, values)
                    break
    if "increment" not in found:
        return [None] * channels

    def of(name: str, channel: int) -> float:
        told = found.get(name, [0.0])
        return told[channel] if len(told) == channels else told[0]

    names = ("increment", "reference", "origin", "offset")
    made = [Scaling(*(of(name, channel) for name in names)) for channel in range(channels)]
    return [scaling if scaling.increment_v > 0 else None for scaling in made]


def _values(parts: Sequence[str], comma: bool) -> list[float]:
    """Numbers of a row after its key, in volts where a unit is told; none for a scale of the screen, in volts a division."""
    bracket = re.search(r"[\[(]([^\])]+)[\])]", parts[0])
    unit = bracket.group(1).lower() if bracket else ""
    found: list[float] = []
    for part in parts[1:]:
        match = _VALUE.fullmatch(part)
        if match is None:
            if found and unit_word(part) in UNIT_FACTORS["V"]:  # a unit in a cell of its own
                return [value * UNIT_FACTORS["V"][unit_word(part)] for value in found]
            if part.strip():
                return found if found and "/" not in part else []
            continue
        own = unit_word((match.group(2) or unit).split("/")[0])
        if "div" in match.group(2).lower() or "div" in unit:
            return []
        value = Numbers(comma).value(match.group(1))
        if value is None:
            return []
        found.append(value * UNIT_FACTORS["V"].get(own, 1.0))
    return found
