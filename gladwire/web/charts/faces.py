"""Connector faces laid out for drawing: from the mating side or the cable side, of the plug or of its counterpart."""

from __future__ import annotations

import re
from collections.abc import Collection
from typing import NamedTuple

from gladwire.core.standards.connectors import BY_KEY, Connector, Kind, Part, Pin, Side, mirrored

_CONTACT = re.compile(r"\b(CP|PP|PE)\b")
_SMALL_TEXT, _ROOM = 3.4, 6.0


class DrawnPin(NamedTuple):
    """A contact as drawn. marked: spoken of beside the drawing. size: of its letters."""

    pin: Pin
    x: float
    y: float
    kind: Kind
    marked: bool
    size: float
    below: bool


class Face(NamedTuple):
    """A face as drawn. flip: the outline's x scale; says: what is seen from where, in words."""

    connector: Connector
    part: Part
    side: Side
    pins: tuple[DrawnPin, ...]
    flip: int
    view_box: str
    says: str


def face(key: str, part: Part = "plug", side: Side = "mating", marked: Collection[str] = ()) -> Face:
    """Lay out a face. Raises KeyError for an unknown connector."""
    connector = BY_KEY[key]
    flip = -1 if mirrored(part, side) else 1
    pins = tuple(_drawn(pin, flip, pin.name in marked) for pin in connector.pins)
    what = connector.inlet_name if part == "inlet" else "plug"
    behind = "behind, where its wires go" if part == "inlet" else "the cable side"
    says = f"{connector.title} {what}, seen from {'the mating side' if side == 'mating' else behind}"
    ys = [p.y for p in connector.pins]
    middle = (min(ys) + max(ys)) / 2
    box = f"{-connector.width / 2} {middle - connector.height / 2} {connector.width} {connector.height}"
    return Face(connector, part, side, pins, flip, box, says)


def _drawn(pin: Pin, flip: int, marked: bool) -> DrawnPin:
    fits = pin.radius >= 3.4 and len(pin.name) <= (3 if pin.radius < 4.5 else 4)
    size = min(4.2, 2.6 * pin.radius / max(1.6, len(pin.name) * 0.62)) if fits else _SMALL_TEXT
    return DrawnPin(pin, flip * pin.x, pin.y, pin.kind, marked, size, not fits)


def contacts_in(text: str) -> tuple[str, ...]:
    """Low-voltage contacts a sentence speaks of, in order."""
    return tuple(dict.fromkeys(_CONTACT.findall(text)))
