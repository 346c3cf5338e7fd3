"""The stage line: one wire through all stages, whole where proven, broken where it failed, dotted where not captured."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Literal, NamedTuple

from gladwire.core.stage import StageResult

WireKind = Literal["whole", "dotted", "bare", "broken"]

STATE_WORDS = {
    "proven": "proven",
    "failed": "failed",
    "not_reached": "not reached",
    "not_captured": "not captured",
    "not_applicable": "not applicable",
}
# What stands under a mark that has no value of its own.
_UNDER_MARK = {**STATE_WORDS, "not_captured": "no capture", "not_applicable": "not needed"}
# Width of a character under a mark, in drawing units.
_CHARACTER = 6.6


class Mark(NamedTuple):
    """One stage on the wire, x (or y when upright) in drawing units."""

    at: float
    stage: str
    title: str
    state: str
    words: str
    short: str
    why: str
    start_s: float | None
    end_s: float | None


class Wire(NamedTuple):
    """A piece of wire between two neighbouring marks. seen: the stage it leaves was captured."""

    start: float
    end: float
    kind: WireKind
    seen: bool


class StageLine(NamedTuple):
    """length: drawing units along the wire. marks and wires in order."""

    length: float
    marks: tuple[Mark, ...]
    wires: tuple[Wire, ...]


def stage_line(stages: Sequence[StageResult], step: float, room: float | None = None) -> StageLine:
    """Lay the stages out `step` drawing units apart; room: units for the value of each, a step unless said."""
    characters = int((room or step) / _CHARACTER)
    marks = tuple(_mark(stage, step / 2 + index * step, characters) for index, stage in enumerate(stages))
    failed = next((i for i, m in enumerate(marks) if m.state == "failed"), len(marks))
    wires = tuple(
        Wire(left.at, right.at, _kind(left, right, i, failed), left.state != "not_captured")
        for i, (left, right) in enumerate(pairwise(marks))
    )
    return StageLine(step * len(marks), marks, wires)


def _kind(left: Mark, right: Mark, index: int, failed: int) -> WireKind:
    if index + 1 == failed and left.state != "not_reached":
        return "broken"
    if index >= failed or "not_reached" in (left.state, right.state):
        return "bare"
    if "not_captured" in (left.state, right.state):
        return "dotted"
    return "whole"


def _mark(stage: StageResult, at: float, characters: int) -> Mark:
    words = STATE_WORDS[stage.state]
    short = stage.short if len(stage.short) <= characters else ""
    return Mark(
        at,
        stage.stage,
        stage.title,
        stage.state,
        words,
        short or _UNDER_MARK[stage.state],
        stage.why,
        stage.start_s,
        stage.end_s,
    )
