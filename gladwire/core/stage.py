"""A stage of a session, and what is said of one."""

from __future__ import annotations

from typing import Literal, NamedTuple

from pydantic import BaseModel, ConfigDict

StageState = Literal["proven", "failed", "not_reached", "not_captured", "not_applicable"]


class Stage(NamedTuple):
    """Name used in data, and the title people read."""

    key: str
    title: str


class Standing(NamedTuple):
    """How one stage stands. short: a value to stand under its mark."""

    state: StageState
    why: str
    short: str = ""
    start_s: float | None = None
    end_s: float | None = None


class StageResult(BaseModel):
    """One stage as this session shows it. short: a value to stand under the mark; why: the whole sentence."""

    model_config = ConfigDict(frozen=True)

    stage: str
    title: str
    state: StageState
    start_s: float | None = None
    end_s: float | None = None
    short: str = ""
    why: str
