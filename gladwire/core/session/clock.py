"""Moving what was measured in one file's time base onto the session's clock."""

from __future__ import annotations

from typing import Any, NamedTuple, TypeVar

from pydantic import BaseModel

_TIMES = frozenset({"start_s", "end_s", "time_s", "at_s"})
# A moment named for what it is: `joined_at_s`. Lengths of time never end so.
_MOMENT = "_at_s"
Model = TypeVar("Model", bound=BaseModel)


class Clock(NamedTuple):
    """session time = offset_s + (1 + drift) * file time. drift: how much slower the file's own clock runs."""

    offset_s: float = 0.0
    drift: float = 0.0

    def on_session(self, file_s: float) -> float:
        return self.offset_s + (1.0 + self.drift) * file_s

    def in_file(self, session_s: float) -> float:
        return (session_s - self.offset_s) / (1.0 + self.drift)


def on_clock(model: Model, clock: Clock) -> Model:
    """The same record with every moment in it moved; lengths of time, rates and levels stay as measured."""
    if clock == Clock():
        return model
    moved: dict[str, Any] = {}
    for name in type(model).model_fields:
        value = getattr(model, name)
        if (name in _TIMES or name.endswith(_MOMENT)) and value is not None:
            moved[name] = clock.on_session(value)
        elif name == "moves":
            moved[name] = tuple(clock.on_session(at) for at in value)
        elif isinstance(value, BaseModel):
            moved[name] = on_clock(value, clock)
        elif isinstance(value, tuple) and value and isinstance(value[0], BaseModel):
            moved[name] = tuple(on_clock(one, clock) for one in value)
    return model.model_copy(update=moved)
