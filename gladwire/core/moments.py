"""Moments and durations as types, and moving what was measured in one file's time base onto the session's clock.

Every time in a record says by its type which it is: a `Moment` moves with the clock, a `Duration` stays as measured.
"""

from __future__ import annotations

import types
from collections.abc import Callable
from functools import lru_cache
from typing import Annotated, Any, NamedTuple, TypeVar, Union, get_args, get_origin

from pydantic import BaseModel

ON_CLOCK, A_LENGTH = "on the clock", "a length of time"
Moment = Annotated[float, ON_CLOCK]
Duration = Annotated[float, A_LENGTH]
Moments = tuple[Moment, ...]
Model = TypeVar("Model", bound=BaseModel)
_Move = Callable[[Any, "Clock"], Any]


class Clock(NamedTuple):
    """session time = offset_s + (1 + drift) * file time. drift: how much slower the file's own clock runs."""

    offset_s: float = 0.0
    drift: float = 0.0

    def on_session(self, file_s: float) -> float:
        return self.offset_s + (1.0 + self.drift) * file_s

    def in_file(self, session_s: float) -> float:
        return (session_s - self.offset_s) / (1.0 + self.drift)


def on_clock(model: Model, clock: Clock) -> Model:
    """The same record with every moment in it moved; durations, rates and levels stay as measured."""
    if clock == Clock():
        return model
    moves = _moves_of(type(model))
    return model.model_copy(update={name: move(getattr(model, name), clock) for name, move in moves})


@lru_cache(maxsize=256)
def _moves_of(kind: type[BaseModel]) -> tuple[tuple[str, _Move], ...]:
    """(field, how it moves) of every field that holds a moment, or a record that does."""
    found = []
    for name, field in kind.model_fields.items():
        move = _field if ON_CLOCK in field.metadata else _move_of(field.annotation)
        if move is not None:
            found.append((name, move))
    return tuple(found)


def _field(value: float | None, clock: Clock) -> float | None:
    return None if value is None else clock.on_session(value)


def _move_of(annotation: Any) -> _Move | None:
    """How a value of this type moves; None where nothing in it is on the clock."""
    origin, inner = get_origin(annotation), get_args(annotation)
    if origin is Annotated:
        return _field if ON_CLOCK in inner[1:] else _move_of(inner[0])
    if origin in (Union, types.UnionType):
        return next((move for part in inner if (move := _move_of(part)) is not None), None)
    if origin in (tuple, list):
        each = _move_of(inner[0]) if inner else None
        return None if each is None else lambda values, clock: tuple(each(value, clock) for value in values)
    if isinstance(annotation, type) and issubclass(annotation, BaseModel) and _moves_of(annotation):
        return lambda record, clock: None if record is None else on_clock(record, clock)
    return None
