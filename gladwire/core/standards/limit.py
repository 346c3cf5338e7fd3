"""A limit: a number that also knows its unit, how a sentence says it, what it limits, and its source."""

from __future__ import annotations

from collections.abc import Mapping

from gladwire.core.standards.source import Source


class Limit(float):
    """Compares and computes as the number it is.

    unit: V, s, …; "share" for a part of one, said in percent; "" for a count. form: how a sentence says it, with {} for
    number and unit: "within {}". about: what it limits, for the page of limits.
    """

    unit: str
    form: str
    about: str
    source: Source

    def __new__(cls, value: float, unit: str, form: str, about: str, source: Source) -> Limit:
        limit = super().__new__(cls, value)
        limit.unit, limit.form, limit.about, limit.source = unit, form, about, source
        return limit

    def __reduce__(self) -> tuple[type[float], tuple[float]]:
        return float, (float(self),)

    @property
    def amount(self) -> str:
        """The number with its unit, in the prefix the trade says it with."""
        value = float(self)
        if self.unit == "share":
            return f"{round(100 * value, 6):g} %"
        if self.unit == "s" and value < 1.0:
            return f"{round(1e3 * value, 6):g} ms"
        return f"{value:g} {self.unit}".strip()

    @property
    def says(self) -> str:
        """As a sentence says it: "within 3 s"."""
        return self.form.format(self.amount)


def limits_of(names: Mapping[str, object]) -> tuple[Limit, ...]:
    """The limits a module of limits declares, in its order, each once; those by protocol or state are in mappings."""
    found: list[Limit] = []
    for value in names.values():
        found += [each for each in (value.values() if isinstance(value, dict) else (value,)) if isinstance(each, Limit)]
    return tuple({id(limit): limit for limit in found}.values())
