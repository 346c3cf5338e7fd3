"""An attempt without a capture: how it was begun, and the stages anybody can tell without an instrument. Common practice, no
source."""

from __future__ import annotations

from typing import NamedTuple


class Start(NamedTuple):
    """A way to begin a session."""

    key: str
    title: str


STARTS: tuple[Start, ...] = (
    Start("plug", "by plugging in"),
    Start("card", "card"),
    Start("app", "app"),
    Start("pay", "paid at the post"),
    Start("screen", "button or screen"),
)
START_BY_KEY = {start.key: start for start in STARTS}


class Told(NamedTuple):
    """A stage as a person sees, hears or reads it got there. stage: its key on the spine of AC or of DC."""

    stage: str
    title: str


REACHED: tuple[Told, ...] = (
    Told("seat", "plug went home"),
    Told("lock", "it locked"),
    Told("link", "post and vehicle talk"),
    Told("authorise", "start was accepted"),
    Told("insulation", "post tests, no current yet"),
    Told("energise", "contactor clunked"),
    Told("ramp", "current began"),
    Told("hold", "it charged for a while"),
)
REACHED_BY_KEY = {told.stage: told for told in REACHED}
