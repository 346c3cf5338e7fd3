"""What people type into forms: numbers with a decimal comma, ids, fields by name; and how what is wrong is told."""

from __future__ import annotations

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
