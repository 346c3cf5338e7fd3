"""What somebody found by doing a test: their word, beside what was captured."""

from __future__ import annotations

from typing import Literal, get_args

from pydantic import BaseModel, ConfigDict

Result = Literal["so", "not_so", "open"]
RESULTS: tuple[Result, ...] = get_args(Result)


class Answer(BaseModel):
    """One result of one test. test: its key in the catalogue. result: as the test names it first, otherwise, or not to be
    told."""

    model_config = ConfigDict(frozen=True)

    test: str
    result: Result
    text: str = ""
    by_name: str = ""
