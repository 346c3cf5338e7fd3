"""Records changed one part at a time: every number, word and element, at any depth."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from pydantic import BaseModel

# What no rule looks at, or what would only be another name for the same.
PASSED_BY = {"number", "frames", "groups_db", "nid", "bytes", "kinds", "lane", "ev_address", "address", "port", "name",
             "offered", "issuer", "evse_address", "protocol", "key", "signature", "time_s"}  # fmt: skip
OTHER_WORDS = {"OK": "FAILED", "Finished": "Ongoing", "EVSE_Ready": "EVSE_Shutdown", "NO_ERROR": "FAILED_EVRESSMalfunction",
               "None": "StopCharging", "Start": "Stop", "Stop": "Start", "Valid": "Invalid", "fin": "rst", "ev": "evse",
               "evse": "ev", "matched": "incomplete", "opened": "partly", "Terminate": "Pause", "A": "B", "B": "C",
               "C": "A",
               "D": "C", "E": "F", "F": "E", "unknown": "B",
               "current": "digital", "none": "current", "controller": "connector"}  # fmt: skip


def others(value: Any) -> list[Any]:
    """Values to stand in for one: near, far, none, the opposite."""
    if isinstance(value, bool):
        return [not value]
    if isinstance(value, int):
        return [0, value + 1, 3 * value + 5]
    if isinstance(value, float):
        return [0.0, 0.49 * value, value + 0.3, value + 4.0, value + 70.0]
    if isinstance(value, str):
        return [OTHER_WORDS[value]] if value in OTHER_WORDS else [""] if value else []
    return []


def shaken(value: Any, path: str = "") -> Iterator[tuple[str, Any]]:
    """(what was changed, the whole with it changed) for every part of a record, at any depth."""
    if isinstance(value, BaseModel):
        for name in type(value).model_fields:
            # Of a loop the last exchange is the one looked at.
            if name not in PASSED_BY and getattr(value, f"last_{name}", None) is None:
                for where, changed in shaken(getattr(value, name), f"{path}.{name}"):
                    yield where, value.model_copy(update={name: changed})
    elif isinstance(value, dict):
        yield from shaken_fields(value, path)
    elif isinstance(value, tuple) and value and isinstance(value[0], BaseModel):
        for n, one in enumerate(value):
            name = getattr(one, "stem", "") or str(n)
            for where, changed in shaken(one, f"{path}[{name}]"):
                yield where, (*value[:n], changed, *value[n + 1 :])
            if len(value) > 1 or not path.endswith(".certificates"):
                yield f"{path} without {name}", (*value[:n], *value[n + 1 :])
    else:
        for other in others(value):
            shown = f"{other:g}" if isinstance(other, float) else repr(other)
            yield f"{path} as {shown}", other


def shaken_fields(fields: dict[str, Any], path: str) -> Iterator[tuple[str, dict[str, Any]]]:
    """Fields of a message, or ranges and flags of a loop, by their names."""
    for key, one in fields.items():
        name = str(key).rpartition(".")[2]
        for other in others(one)[:3]:
            yield f"{path}.{name} as {other!r}", {**fields, key: other}
        yield f"{path} without {name}", {k: v for k, v in fields.items() if k != key}
