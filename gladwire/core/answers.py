"""What somebody found by doing a test, and what closed cases say: beside what was captured."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict


class Answer(BaseModel):
    """One result of one test. test: its key in the catalogue. result: one of its outcomes, or open where it cannot be told.
    of_record: counted in what is kept here and not said by somebody: among attempts of the same case, or elsewhere, where
    nobody looked whether it failed in the same way."""

    model_config = ConfigDict(frozen=True)

    test: str
    result: str
    text: str = ""
    by_name: str = ""
    of_record: Literal["", "case", "elsewhere"] = ""


class Before(BaseModel):
    """How often a cause was it in closed cases. weight: logarithm of odds against how common it is elsewhere, shrunk; words:
    what it was counted of."""

    model_config = ConfigDict(frozen=True)

    weight: float
    words: str
