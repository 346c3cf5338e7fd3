"""A cause as data: what speaks for it, what against, the test that separates it, and what would change the verdict."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, NamedTuple

from pydantic import BaseModel, ConfigDict

Owner = Literal["site", "cable", "evse", "vehicle", "backend", "none"]

OWNER_WORDS: dict[Owner, str] = {
    "site": "driver or site",
    "cable": "cable or adapter",
    "evse": "post",
    "vehicle": "vehicle",
    "backend": "back end",
    "none": "nobody at fault",
}


class Cause(NamedTuple):
    """mechanism: what happens, in one sentence. prior: how common it is among its neighbours (common practice, no source),
    1 is usual.

    speaks_for, speaks_against: finding code to weight; 1 is a hint, 3 is nearly decisive. test: key of the test that
    separates it from its neighbours (`tests.py`); if_so, if_not: what either result means. repair: what mends it and who
    does, never a word to try again; proof: the capture or reading that closes the case after it. quiet: weight that
    nothing suspect was found, of all that could be seen. stage: where nothing captured tells it. unplayed: why the simulator
    does not play it, "" where it does.
    """

    code: str
    title: str
    mechanism: str
    owner: Owner
    prior: float
    speaks_for: Mapping[str, float]
    speaks_against: Mapping[str, float]
    test: str
    if_so: str
    if_not: str
    repair: str
    proof: str
    quiet: float = 0.0
    stage: str = ""
    unplayed: str = ""


class Evidence(BaseModel):
    """A finding that speaks for or against a cause, and its moment in seconds of the capture.

    weight: logarithm of odds, for the cause where positive. counted: how often it was seen where the cause was played, in
    words, "" where it never was. absent: it was looked for and is not there, or is somebody's word (by_name); such has no
    moment.
    """

    model_config = ConfigDict(frozen=True)

    code: str
    text: str
    start_s: float
    end_s: float
    weight: float = 0.0
    counted: str = ""
    absent: bool = False
    by_name: str = ""


class Unseen(BaseModel):
    """What would speak for a cause and could not be seen. why: what was missing for it."""

    model_config = ConfigDict(frozen=True)

    code: str
    text: str
    why: str


class Rests(BaseModel):
    """The observation a verdict rests on most: without it the leading cause keeps `left`, and `then` leads ("" for none)."""

    model_config = ConfigDict(frozen=True)

    code: str
    text: str
    start_s: float
    end_s: float
    left: float
    then: str = ""
    then_share: float = 0.0


class Disagreement(BaseModel):
    """Where what people said and what was captured lead to different causes. said: their words. overruled: captures weigh
    more and the cause they lead to stands first; else people's words turned it, and `other` would lead without them.
    share: that of `other`, 0 to 1; of words overruled both are empty."""

    model_config = ConfigDict(frozen=True)

    said: tuple[str, ...]
    overruled: bool
    other: str = ""
    share: float = 0.0


class OwnerShare(BaseModel):
    """share: of all causes considered and of those nobody listed, 0 to 1."""

    model_config = ConfigDict(frozen=True)

    owner: Owner
    share: float


class RankedCause(BaseModel):
    """A cause in the light of one session. confidence: share among the causes considered, 0 to 1."""

    model_config = ConfigDict(frozen=True)

    code: str
    title: str
    owner: Owner
    confidence: float
    evidence: tuple[Evidence, ...]
    against: tuple[Evidence, ...]
    unseen: tuple[Unseen, ...] = ()
    next_test: str
    minutes: int
    if_so: str
    if_not: str
    caution: str
    repair: str
    proof: str
