"""The chain from grid to cells drawn as one conductor: its section as large as what each part lets through, the narrowest
marked."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from gladwire.core.power.chain import PARTS
from gladwire.core.power.expect import Link

WIDTH, HEIGHT, MIDDLE = 820.0, 176.0, 66.0
_THICKEST, _THINNEST = 76.0, 6.0
_TITLES = {
    "site": "Grid and site", "cabinet": "Cabinet", "post": "Post", "cable": "Cable", "connector": "Connector",
    "adapter": "Adapter", "vehicle": "Vehicle",
}  # fmt: skip


@dataclass(frozen=True)
class Part:
    """A length of the conductor. kw: None where nothing is known of it. says: what limits it, in words."""

    title: str
    x: float
    width: float
    thick: float
    kw: float | None
    says: str
    narrowest: bool


@dataclass(frozen=True)
class ChainDrawing:
    parts: list[Part]
    width: float = WIDTH
    height: float = HEIGHT
    middle: float = MIDDLE


def chain(links: Sequence[Link], adapter: bool) -> ChainDrawing:
    """Every part in order, an adapter only where there is one; of a part's limits the least counts."""
    shown = [part for part in PARTS if part != "adapter" or adapter]
    most = max((link.kw for link in links), default=1.0) or 1.0
    width = WIDTH / len(shown)
    parts = []
    for number, part in enumerate(shown):
        mine = min((link for link in links if link.part == part), key=lambda link: link.kw, default=None)
        thick = _THINNEST if mine is None else max(_THINNEST, _THICKEST * math.sqrt(mine.kw / most))
        parts.append(
            Part(
                _TITLES[part],
                number * width,
                width,
                thick,
                mine.kw if mine else None,
                # Under the part there is room for its first words; the sentence above says all of it.
                mine.says.partition(",")[0] if mine else "not known",
                any(link.narrowest for link in links if link.part == part),
            )
        )
    return ChainDrawing(parts)
