"""What was seen at a contact, and what it makes likely."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from pydantic import BaseModel, ConfigDict


class Condition(NamedTuple):
    """A condition of a contact: key in data, words on the button, the finding it makes ("" for a sound contact)."""

    key: str
    words: str
    finding: str


CONDITIONS: tuple[Condition, ...] = (
    Condition("debris", "debris in it or beside it", "contact_debris"),
    Condition("recessed", "recessed or bent", "contact_recessed"),
    Condition("burnt", "burnt or discoloured", "contact_burnt"),
    Condition("corroded", "corroded", "contact_corroded"),
    Condition("wet", "wet", "contact_wet"),
    Condition("sound", "sound", ""),
)
BY_KEY = {condition.key: condition for condition in CONDITIONS}


class Inspection(BaseModel):
    """One look at one contact. where: connector and part in words."""

    model_config = ConfigDict(frozen=True)

    pin: str
    where: str
    condition: str
    detail: str = ""
    by_name: str = ""


def of_finding(inspections: tuple[Inspection, ...], code: str) -> Iterator[Inspection]:
    """Inspections whose condition makes this finding."""
    yield from (i for i in inspections if i.condition in BY_KEY and BY_KEY[i.condition].finding == code)
