"""Finding messages among many: words in name, field or value, or a field compared with a number.

`CurrentDemand EVSEPresentCurrent>100`: both must hold. Field names match by their ending.
"""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Iterable
from typing import Any

from gladwire.core.plc.message import Message

_COMPARES: dict[str, Callable[[float, float], bool]] = {
    ">=": operator.ge,
    "<=": operator.le,
    "!=": operator.ne,
    ">": operator.gt,
    "<": operator.lt,
    "=": operator.eq,
}
_COMPARISON = re.compile(r"^([\w.\[\]]+)(>=|<=|!=|>|<|=)(-?\d+(?:[.,]\d+)?)$")

Test = Callable[[Message], bool]


def looking_for(text: str) -> Test:
    """A test of messages from what a person typed; an empty text finds all."""
    return _all([_part(word) for word in text.split()])


def _all(tests: Iterable[Test]) -> Test:
    kept = list(tests)
    return lambda message: all(test(message) for test in kept)


def _part(word: str) -> Test:
    found = _COMPARISON.match(word)
    if not found:
        lower = word.lower()
        return lambda message: _holds(message, lower)
    name, compare, wanted = found[1].lower(), _COMPARES[found[2]], float(found[3].replace(",", "."))
    return lambda message: any(
        _number(value) and compare(value, wanted)
        for path, value in message.fields.items()
        if path.lower() == name or path.lower().endswith(name)
    )


def _number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _holds(message: Message, lower: str) -> bool:
    if lower in message.name.lower() or lower in message.protocol.lower():
        return True
    return any(lower in path.lower() or lower in str(value).lower() for path, value in message.fields.items())
