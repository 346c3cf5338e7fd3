"""What a calculator is: its fields, and a function from what a person typed to one answer object its template draws."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import NamedTuple

from gladwire.core.standards.source import Source


class Field(NamedTuple):
    """One input. choices: (value, words) for a choice; none for a number or text. slide: lowest, highest and step of a
    slider beside a number. most: characters taken; a longer text gets a larger box."""

    name: str
    label: str
    default: str
    unit: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    text: bool = False
    slide: tuple[float, float, float] | None = None
    most: int = 100


class Tool(NamedTuple):
    """answer: may raise ValueError with a sentence for the person. caution: stands beside where a step is described."""

    key: str
    title: str
    tells: str
    fields: tuple[Field, ...]
    answer: Callable[[Mapping[str, str]], object]
    sources: tuple[Source, ...]
    caution: str = ""


def number(typed: Mapping[str, str], name: str, label: str) -> float:
    """A typed number; decimal point or comma. Raises ValueError naming the field."""
    text = typed.get(name, "").strip().replace(",", ".")
    try:
        value = float(text)
    except ValueError:
        raise ValueError(f"{label}: a number was expected") from None
    if not -1e9 < value < 1e9:
        raise ValueError(f"{label}: that number is beyond anything a charging post has")
    return value


def optional(typed: Mapping[str, str], name: str, label: str) -> float | None:
    """The same for a field that may stay empty."""
    return number(typed, name, label) if typed.get(name, "").strip() else None
