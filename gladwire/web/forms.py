"""What people type into forms: numbers with a decimal comma, ids, fields by name; and how what is wrong is told."""

from __future__ import annotations

import re
from datetime import date
from typing import Annotated

from fastapi import Depends, Request
from pydantic import BeforeValidator, ValidationError

from gladwire.core.power.equipment import FIELDS
from gladwire.web.errors import RefusedError
from gladwire.web.templating import sentence


def plain_number(value: object) -> object:
    """Empty means nothing typed; a decimal comma is a decimal sign, a true minus a minus."""
    if isinstance(value, str):
        return value.strip().replace(",", ".").replace("−", "-") or None
    return value


TypedNumber = Annotated[float, BeforeValidator(plain_number)]
OptionalNumber = Annotated[float | None, BeforeValidator(plain_number)]
OptionalDay = Annotated[date | None, BeforeValidator(lambda value: value or None)]


def number_in(text: str) -> float | None:
    """A number as people type it; None for nothing. Raises ValueError for anything else."""
    plain = plain_number(text)
    if plain is None:
        return None
    try:
        value = float(str(plain))
    except ValueError as error:
        raise ValueError(f"“{text}” is no number") from error
    if value != value or abs(value) > 1e9:
        raise ValueError(f"“{text}” is out of range")
    return value


_UNIT_WORDS = {"ω": "Ω", "ohm": "Ω", "ohms": "Ω", "r": "Ω", "v": "V", "volt": "V", "volts": "V", "a": "A", "amp": "A"}
_PREFIXES = {"": 1.0, "m": 1e-3, "k": 1e3, "M": 1e6}
_READING = re.compile(r"([-+]?\d*[.]?\d+(?:e[-+]?\d+)?)\s*([mkM]?)\s*([^\d\s]{0,6})", re.IGNORECASE)
# “2k7” and “4R7”, as resistors are marked.
_MARKS = {"r": 0, "k": 3, "m": 6}
_MARKED = re.compile(r"(\d+)([kRrM])(\d+)")


def reading_in(text: str, unit: str) -> float | None:
    """A reading as people type it, with its unit or without: “0.3 ohm”, “218R”, “2k7”, “11,9 V”; None for nothing. Raises
    ValueError for no number, and for one in another unit than the one wanted."""
    plain = plain_number(text)
    if plain is None:
        return None
    marked = _MARKED.fullmatch(str(plain))
    if marked and unit == "Ω":
        return number_in(f"{marked[1]}.{marked[3]}e{_MARKS[marked[2].lower()]}")
    match = _READING.fullmatch(str(plain))
    if match is None:
        return number_in(str(plain))
    prefix, word = match[2], match[3].lower()
    if prefix and not word and prefix != "k" and prefix != "M":
        raise ValueError(f"“{text}” was typed; a number in {unit or 'no unit'} was expected")
    told = _UNIT_WORDS.get(word, match[3]) if word else unit
    if told != unit:
        raise ValueError(f"“{text}” was typed; a number in {unit or 'no unit'} was expected")
    value = number_in(match[1])
    return None if value is None else value * _PREFIXES[prefix if prefix == "M" else prefix.lower()]


# Units of a time somebody types, in seconds.
_SECONDS = {"µs": 1e-6, "μs": 1e-6, "us": 1e-6, "ms": 1e-3, "s": 1.0, "min": 60.0, "h": 3600.0}


def seconds_in(text: str) -> float | None:
    """A length of time with its unit, such as “20 µs” or “30 s”, in seconds; None for nothing. Raises ValueError."""
    number, unit = re.fullmatch(r"\s*(.*?)\s*([a-zµμ]*)\s*", text, re.DOTALL).groups()  # type: ignore[union-attr]
    if not number and not unit:
        return None
    value = number_in(number)
    if unit not in _SECONDS or value is None or not value > 0:
        raise ValueError(f"“{text[:40]}” was typed; a number with µs, ms, s, min or h was expected")
    return value * _SECONDS[unit]


def seconds_typed(seconds: float) -> str:
    """A length of time as it may be typed, in the unit that needs fewest digits."""
    unit = "µs" if seconds < 1e-3 else "ms" if seconds < 1.0 else "s"
    return f"{seconds / _SECONDS[unit]:.9g} {unit}"


def id_in(text: str) -> int | None:
    """The number of a row; None for what cannot be one."""
    return int(text) if text.isascii() and text.isdigit() and len(text) < 10 else None


def told(error: ValueError) -> str:
    """What is wrong, as a sentence; of a Pydantic check the first, with the field in the trade's words."""
    if isinstance(error, ValidationError):
        first = error.errors()[0]
        name = str(first["loc"][0]) if first["loc"] else ""
        title, unit = FIELDS.get(name, (name, ""))
        return f"{title}{f' ({unit})' if unit else ''}: {first['msg'].lower()}."
    return sentence(str(error))


def refused(error: ValueError, next_: str = "Correct it.") -> RefusedError:
    """A refusal of a form whose content raised `error`."""
    return RefusedError(422, f"{told(error)} Nothing was stored.", next_)


async def _fields(request: Request) -> dict[str, str]:
    return {key: str(value).strip() for key, value in (await request.form()).items()}


# A form whose fields differ by kind, read before the handler runs in its thread.
FormFields = Annotated[dict[str, str], Depends(_fields)]
