"""What the demo tells of a case: its people's words, its files, what was noted and mended."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from gladwire.core.case.swaps import Part
from gladwire.core.power.equipment import Kind


class DemoFile(NamedTuple):
    """A capture file: its name, and what writes it."""

    name: str
    content: Callable[[], bytes]


class Noted(NamedTuple):
    """Something a person noted. at_s: on the session's clock, for what was heard and seen."""

    kind: str
    text: str = ""
    at_s: float | None = None
    place: str = ""
    value: float | None = None
    unit: str = ""
    by_name: str = "Runa Holt"


class DemoPiece(NamedTuple):
    """A piece of equipment: kind and figures as `core/power/equipment.py` has them."""

    kind: Kind
    name: str
    site: str = ""
    details: Mapping[str, Any] = {}


class DemoSession(NamedTuple):
    """One plug-in. repair: what was done after it. vehicle, stall, adapter: names of equipment; parts: what took part,
    made where it has no page yet; known: more of the chain."""

    title: str
    files: tuple[DemoFile, ...]
    mode: str = ""
    noted: tuple[Noted, ...] = ()
    repair: str = ""
    known_good: str = ""
    vehicle: str = ""
    stall: str = ""
    adapter: str = ""
    parts: Mapping[Part, str] = {}
    known: Mapping[str, Any] = {}


class DemoAttempt(NamedTuple):
    """A plug-in without a capture; parts as `core/case/swaps.py` has them."""

    came: str
    parts: Mapping[Part, str]
    start: str = ""
    stage: str = ""
    said: str = ""
    by_name: str = "Runa Holt"


class DemoCase(NamedTuple):
    """A case with its sessions in order. waits_on: whom it waits for. closed: how it ended, "" while it is open. days: since
    it waits for that, or until it comes back."""

    title: str
    vehicle: str
    post: str
    complaint: str
    sessions: tuple[DemoSession, ...]
    modes: tuple[str, ...] = ("mode3_socket",)
    noted: tuple[Noted, ...] = ()
    attempts: tuple[DemoAttempt, ...] = ()
    closed: str = ""
    waits_for: str = ""
    waits_on: str = ""
    days: int = 0
