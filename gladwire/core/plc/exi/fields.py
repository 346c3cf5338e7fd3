"""A document's content as flat fields in SI units, and back.

`{'EVTargetVoltage': {'Multiplier': -1, 'Unit': 'V', 'Value': 3904}}` is `{'EVTargetVoltage': 390.4}`; repeated elements
carry an index (`AppProtocol[0].Priority`), attributes stand beside children, bytes are upper-case hexadecimal.
"""

import re
from typing import Any

from gladwire.core.plc.exi.element import OWN, Element
from gladwire.core.plc.exi.grammar import Grammar, Type
from gladwire.core.plc.exi.units import UNITS, unit_of

Fields = dict[str, Any]


def flatten(content: Any) -> Fields:
    """Fields of a decoded element, in the order they were sent."""
    if not isinstance(content, Element):
        return {"": plain(content)}
    return dict(_flat(content))


def shared(element: Element) -> Fields:
    """Fields of an element that equal documents share: the same object each time, which nobody changes."""
    if element.fields is None:
        element.fields = flatten(element)
    return element.fields


def plain(value: Any) -> Any:
    """A value as it is shown: bytes become hexadecimal digits."""
    return value.hex().upper() if isinstance(value, bytes) else value


def _flat(element: Element) -> list[tuple[str, Any]]:
    if element.flat is None:
        found: list[tuple[str, Any]] = []
        for name, value in element.items():
            if isinstance(value, list):
                for index, item in enumerate(value):
                    _add(found, f"{name}[{index}]", name, item)
            else:
                _add(found, name, name, value)
        element.flat = found
    return element.flat


def _add(found: list[tuple[str, Any]], path: str, name: str, value: Any) -> None:
    if not isinstance(value, Element):
        found.append((path if name != OWN else "", plain(value)))
    elif value.physical:
        found.append((path, physical(value)))
    elif not value:
        found.append((path, {}))  # an element without content is still there
    else:
        for below, item in _flat(value):
            found.append((f"{path}.{below}" if below else path, item))


def physical(value: Element) -> float | None:
    """A physical or rational value in V, A, W, Wh, s, whatever its multiplier and unit; None where a part is missing."""
    power, number = value.get("Multiplier", value.get("Exponent")), value.get("Value")
    if power is None or number is None:
        return None
    scaled = number * 10**power if power >= 0 else number / 10**-power
    _, up, down = UNITS.get(value.get("Unit", ""), ("", 1, 1))
    if (up, down) == (1, 1):
        return scaled  # type: ignore[no-any-return]
    return scaled * up / down  # type: ignore[no-any-return]


PART = re.compile(r"([^.\[\]]+)(?:\[(\d+)\])?")


def unflatten(fields: Fields, grammar: Grammar, kind: Type) -> dict[str, Any]:
    """The content of an element of this type from its flat fields. Raises ValueError for a path that is none.

    A plain number becomes a physical value with the multiplier nearest to 0 that holds it without loss; to choose
    multiplier and unit, give them: `EVTargetVoltage.Value`, `.Multiplier`, `.Unit`.
    """
    tree: dict[str, Any] = {}
    for path, value in fields.items():
        place: Any = tree
        parts = PART.findall(path)
        if ".".join(f"{n}[{i}]" if i else n for n, i in parts) != path:
            raise ValueError(f"{path!r} is no path of a field")
        for depth, (name, index) in enumerate(parts):
            last = depth == len(parts) - 1
            if not isinstance(place, dict):
                raise ValueError(f"{path!r} goes below a value")
            place = _step(place, name, int(index) if index else None, value if last else None, last)
    result: dict[str, Any] = _shaped(tree, kind)
    return result


def _step(place: dict[str, Any], name: str, index: int | None, value: Any, last: bool) -> Any:
    if index is not None:
        row = place.setdefault(name, [])
        if not isinstance(row, list) or index > len(row):
            raise ValueError(f"{name}[{index}] comes before the one ahead of it")
        if index == len(row):
            row.append(value if last else {})
        elif last:
            row[index] = {**row[index], OWN: value} if isinstance(row[index], dict) else value
        return row[index]
    if last:
        have = place.get(name)
        place[name] = {**have, OWN: value} if isinstance(have, dict) else value
        return value
    if name in place and not isinstance(place[name], dict | list):
        place[name] = {OWN: place[name]}
    return place.setdefault(name, {})


def _shaped(value: Any, kind: Type, name: str = "") -> Any:
    """Numbers where the type wants physical values become such; the rest stays."""
    if kind.physical and isinstance(value, int | float) and not isinstance(value, bool):
        return sized(value, name, any(p[1] == "Unit" for p in kind.particles))
    if not isinstance(value, dict):
        return value
    kinds = {p[1]: kind.grammar.types[p[2]] for p in kind.particles if p[0] == "el"}
    shaped = {}
    for child, content in value.items():
        below = kinds.get(child)
        if below is None:
            shaped[child] = content
        elif isinstance(content, list):
            shaped[child] = [_shaped(item, below, child) for item in content]
        else:
            shaped[child] = _shaped(content, below, child)
    return shaped


def sized(number: float, name: str, with_unit: bool) -> dict[str, Any]:
    """A number as multiplier, unit and a 16-bit value."""
    exact = [m for m in (0, -1, -2, -3, 1, 2, 3) if _fits(number, m) and _value(number, m) * 10.0**m == number]
    near = [m for m in (-3, -2, -1, 0, 1, 2, 3) if _fits(number, m)]
    if not near:
        raise ValueError(f"{number} is too large for a physical value")
    power = exact[0] if exact else near[0]
    unit = unit_of(name)
    if not with_unit:
        return {"Exponent": power, "Value": _value(number, power)}
    return {"Multiplier": power, **({"Unit": unit} if unit else {}), "Value": _value(number, power)}


def _value(number: float, power: int) -> int:
    return round(number * float(10**-power) if power <= 0 else number / 10**power)


def _fits(number: float, power: int) -> bool:
    return -32768 <= _value(number, power) <= 32767
