"""What a test is."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, NamedTuple

from gladwire.core.diagnosis.cause import Owner
from gladwire.core.diagnosis.cautions import BUS_CAUTION, DEAD_CAUTION, FRAMES_CAUTION, PROBE_CAUTION

Kind = Literal["look", "measure", "capture", "ask", "try"]
# What doing it does: nothing live, something unplugged and dead, a live pilot, a charge.
Act = Literal["look", "dead", "probe", "energise"]
_ACTS: Mapping[Kind, Act] = {
    "look": "look", "ask": "look", "measure": "probe", "capture": "energise", "try": "energise",
}  # fmt: skip

# What somebody may have with them, or not.
TOOLS: Mapping[str, str] = {
    "meter": "category-rated meter",
    "scope": "scope with a differential probe",
    "frames": "power line frame capture",
    "bus": "CAN logger",
    "resistors": "coding resistors",
    "test_load": "test vehicle or pilot load",
    "other_lead": "another lead",
    "other_vehicle": "another vehicle",
    "maker_tool": "maker's own tool",
}
_CAPTURED: Mapping[str, str] = {PROBE_CAUTION: "scope", FRAMES_CAUTION: "frames", BUS_CAUTION: "bus"}


class Find(NamedTuple):
    """One of several results of a test that tells faults apart. causes: the chance of it by a cause's code; stray: where it
    is another cause. danger: what can hurt where it is so, and what not to do."""

    key: str
    words: str
    causes: Mapping[str, float]
    stray: float = 0.02
    danger: str = ""


class Test(NamedTuple):
    """One thing to do. caution: shown with it, never without.

    so, not_so: both results in words. owners: by the cause's owner the chance of the first, of tests that tell parties from
    each other; causes: the same by a cause's code (common practice, no source). finds: instead of one, several results that
    are a fault's; not_so is then that none of them is. A test without any of these tells the causes that
    name it from all others; what its results mean then stands with those. by_stage: a capture, which tells where it stops.

    tools: what it takes, () for nothing, None for what its kind takes. unless: tests whose fault makes this one moot until it
    is mended, with the reason. only_if: key and result of a test that calls for this one, "so" for any fault. after: tests
    that come first where they are to be done. elsewhere: not at the post in question. others: with another vehicle, post or
    lead than the one in question, or with none. own_lead: of a lead that is a part of its own; on DC it is the post's.
    """

    key: str
    kind: Kind
    do: str
    minutes: int
    caution: str
    so: str = ""
    not_so: str = ""
    owners: Mapping[Owner, float] = {}
    causes: Mapping[str, float] = {}
    finds: tuple[Find, ...] = ()
    by_stage: bool = False
    tools: tuple[str, ...] | None = None
    unless: Mapping[str, str] = {}
    only_if: tuple[str, Literal["so", "not_so"]] | None = None
    after: tuple[str, ...] = ()
    elsewhere: bool = False
    others: bool = False
    own_lead: bool = False

    @property
    def act(self) -> Act:
        return "dead" if self.caution == DEAD_CAUTION and self.kind != "look" else _ACTS[self.kind]

    @property
    def needs(self) -> tuple[str, ...]:
        """Tools, by their keys."""
        if self.tools is not None:
            return self.tools
        if self.kind == "measure":
            return ("meter",)
        tool = _CAPTURED.get(self.caution, "") if self.kind == "capture" else ""
        return (tool,) if tool else ()

    @property
    def tells(self) -> frozenset[str]:
        """Codes of the causes it speaks of by itself."""
        return frozenset({*self.causes, *(code for find in self.finds for code in find.causes)})
