"""What a judge says of one stage."""

from __future__ import annotations

from typing import NamedTuple

from gladwire.core.session.spine import StageState


class Verdict(NamedTuple):
    """What is said of one stage. short: a value to stand under its mark."""

    state: StageState
    why: str
    short: str = ""
    start_s: float | None = None
    end_s: float | None = None
