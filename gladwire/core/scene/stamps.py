"""What people heard, saw or felt, stamped on the session's clock. Evidence of its own kind: it supports, it proves little.

To add one: copy a line of KINDS; a rule that weighs it lives in `core/scene/rules/stamped.py`.
"""

from __future__ import annotations

from typing import Literal, NamedTuple

from pydantic import BaseModel, ConfigDict

from gladwire.core.moments import Moment

Sense = Literal["heard", "seen", "felt", "note"]


class StampKind(NamedTuple):
    """key: used in data; words: on the button; sense: how it was perceived; stage: the stage it speaks to."""

    key: str
    words: str
    sense: Sense
    stage: str


KINDS: tuple[StampKind, ...] = (
    StampKind("contactor_clunk", "Clunk of a contactor", "heard", "energise"),
    StampKind("lock_clatter", "Lock clatters, again and again", "heard", "lock"),
    StampKind("lock_click", "One click of the lock", "heard", "lock"),
    StampKind("fans_start", "Fans start", "heard", "draw"),
    StampKind("breaker_trips", "Breaker or earth-fault device trips", "heard", "hold"),
    StampKind("lamp_steady", "Lamp goes steady", "seen", "proximity"),
    StampKind("lamp_charging", "Lamp shows charging", "seen", "draw"),
    StampKind("lamp_error", "Lamp shows an error", "seen", "hold"),
    StampKind("lamp_legend", "Lamp or sound, by its legend", "seen", "proximity"),
    StampKind("plug_moved", "Plug or cable moved", "seen", "seat"),
    StampKind("latch_touched", "Latch touched or leaned on", "felt", "proximity"),
    StampKind("release_asked", "Release asked for (remote, button, app)", "seen", "end"),
    StampKind("plug_stays_held", "Plug cannot be drawn", "felt", "end"),
    StampKind("display_reads", "Display reads (say which, and what)", "seen", "draw"),
    StampKind("neighbour_plugs_in", "A neighbour plugs in", "seen", "hold"),
    StampKind("neighbour_leaves", "A neighbour leaves", "seen", "hold"),
    StampKind("start_accepted", "Card or app accepted", "seen", "authorise"),
    StampKind("start_refused", "Card or app refused", "seen", "authorise"),
    StampKind("note", "Note", "note", "hold"),
)
BY_KEY = {kind.key: kind for kind in KINDS}
# What a lamp or sound stands for by the legend of its model; the words say it.
BY_LEGEND = "lamp_legend"


class Stamp(BaseModel):
    """One stamped event. at_s: on the session's clock. detail: colour of a lamp, words on a display, any note."""

    model_config = ConfigDict(frozen=True)

    kind: str
    at_s: Moment
    detail: str = ""
    by_name: str = ""
