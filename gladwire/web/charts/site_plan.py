"""A site drawn: stalls where they stand, the cabinets that feed them, and whether that is proven or assumed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from gladwire.core.power.equipment import feeds_of

_SCALE, _PAD, _STALL_W, _STALL_H, _CABINET_Y = 52.0, 20.0, 150.0, 104.0, 34.0


@dataclass(frozen=True)
class StallBox:
    number: int
    name: str
    x: float
    y: float
    lines: tuple[str, ...]


@dataclass(frozen=True)
class CabinetBox:
    name: str
    x: float
    y: float
    words: str


@dataclass(frozen=True)
class Wire:
    """From a cabinet to a stall. proven: a test told it."""

    path: str
    proven: bool


@dataclass(frozen=True)
class SitePlan:
    width: float
    height: float
    stalls: list[StallBox]
    cabinets: list[CabinetBox]
    wires: list[Wire]
    stall_w: float = _STALL_W
    stall_h: float = _STALL_H


def site_plan(
    stalls: Sequence[tuple[int, str, Mapping[str, Any]]],
    cabinets: Sequence[tuple[str, Mapping[str, Any]]],
    proven: Sequence[Sequence[str]],
) -> SitePlan | None:
    """stalls: (number, name, details); cabinets: (name, details); proven: groups of stall names a test found to share."""
    if not stalls:
        return None
    places = _places([(float(d.get("x") or 0.0), float(d.get("y") or 0.0)) for _, _, d in stalls])
    boxes = [
        StallBox(number, name, x, y + (80.0 if cabinets else 0.0), _lines(d))
        for (number, name, d), (x, y) in zip(stalls, places, strict=True)
    ]
    drawn, wires = [], []
    for name, about in cabinets:
        fed = [(box, d) for box, (_, _, d) in zip(boxes, stalls, strict=True) if name in feeds_of(d)]
        if not fed:
            continue
        middle = sum(box.x + _STALL_W / 2 for box, _ in fed) / len(fed)
        drawn.append(CabinetBox(name, middle, _CABINET_Y, _cabinet_words(about)))
        for box, d in fed:
            together = {b.name for b, _ in fed}
            shown = any(box.name in group and len(together & set(group)) > 1 for group in proven)
            x = box.x + _STALL_W / 2
            wires.append(
                Wire(
                    f"M{middle:.0f} {_CABINET_Y + 18:.0f}V{box.y - 18:.0f}H{x:.0f}V{box.y:.0f}",
                    shown or bool(d.get("proven")),
                )
            )
    width = max(box.x for box in boxes) + _STALL_W + _PAD
    return SitePlan(width, max(box.y for box in boxes) + _STALL_H + _PAD, boxes, drawn, wires)


def _places(metres: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """Metres to the drawing, pushed apart so that no stall covers another."""
    least_x, least_y = min(x for x, _ in metres), min(y for _, y in metres)
    placed: list[tuple[float, float]] = []
    for x, y in metres:
        at = (_PAD + (x - least_x) * _SCALE, _PAD + (y - least_y) * _SCALE)
        while any(abs(at[0] - p[0]) < _STALL_W + 12 and abs(at[1] - p[1]) < _STALL_H + 12 for p in placed):
            at = (at[0] + 30.0, at[1])
        placed.append(at)
    return placed


def _lines(details: Mapping[str, Any]) -> tuple[str, ...]:
    label, app = details.get("label") or "?", details.get("app_name") or "?"
    power = "" if details.get("post_kw") else f"AC {details['offer_a']:g} A" if details.get("offer_a") else ""
    reach = f"reach {details['reach_m']:g} m" if details.get("reach_m") else ""
    return (
        f"painted {label}, app {app}",
        f"{details.get('post_class') or ''} {power}".strip(),
        f"{reach}",
        str(details.get("serves") or ""),
    )


def _cabinet_words(about: Mapping[str, Any]) -> str:
    words = [f"{about['cabinet_kw']:g} kW"] if about.get("cabinet_kw") else []
    words += [f"modules of {about['module_kw']:g} kW"] if about.get("module_kw") else []
    words.append(
        {"equal": "shared equally", "first": "first come", "demand": "by demand"}[str(about.get("share", "equal"))]
    )
    return ", ".join(words)
