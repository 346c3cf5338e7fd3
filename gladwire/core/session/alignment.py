"""Two captures on one clock: by events both show, by their recorded starts, or by hand; and how well.

Events of one kind (the same pilot step in two files) tie to milliseconds. Events that belong together without being
the same (a plug's proximity and its pilot, a request and the mains that answers it) tie as loosely as they follow.
"""

from __future__ import annotations

import itertools
import re
from collections import Counter
from collections.abc import Sequence
from datetime import datetime
from typing import Literal, NamedTuple

import numpy as np
from dateutil import parser as dates
from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.all import LANES
from gladwire.core.lanes.lane import Landmark
from gladwire.core.lanes.records import Records
from gladwire.core.moments import Clock
from gladwire.core.signal.waveform import Floats
from gladwire.core.words import seconds

# Crystals of instruments differ by tens of millionths.
_DRIFT_MAX = 200e-6
_MOST_PAIRS = 4000
# A clock's run is fitted only where this many exact events lie this far apart.
_DRIFT_EVENTS, _DRIFT_SPAN_S = 4, 20.0
_LOOSE_WEIGHT = 0.3


class Tie(NamedTuple):
    """Kinds that belong together: `later` comes lag_s (give or take doubt_s) after `first`."""

    first: str
    later: str
    lag_s: float
    doubt_s: float
    words: str


TIES: tuple[Tie, ...] = (
    Tie("lock driven", "lock moves", 0.15, 0.2, "the lock's pulse and its movement"),
    Tie("plug in", "A>B", 0.1, 0.4, "the plug going in"),
    Tie("B>A", "plug out", 0.1, 0.4, "the plug coming out"),
    Tie(">C", "mains on", 1.5, 1.5, "the request and the mains that answers it"),
    Tie(">C", "contactor closes", 1.5, 1.5, "the request and the contactor that answers it"),
    Tie("C>", "mains off", 0.05, 0.1, "the end of the request and of the mains"),
    Tie("C>", "contactor opens", 0.05, 0.1, "the end of the request and the contactor"),
    Tie("contactor closes", "mains on", 0.0, 0.05, "the contactor and the mains behind it"),
    Tie("contactor opens", "mains off", 0.0, 0.05, "the contactor and the mains behind it"),
    Tie("5 % begins", "matching begins", 1.0, 1.5, "the 5 % offer and the matching it starts"),
    Tie(">C", "cable check begins", 0.2, 0.5, "the request and the cable check that waits for it"),
    Tie("switched off", "C>", 0.5, 1.0, "the message that switches off and the request that ends"),
    Tie(
        "vehicle contactors close", "switched on", 0.3, 0.8, "the vehicle's contactors and the message that switches on"
    ),
    Tie(
        "switched off",
        "vehicle contactors open",
        0.8,
        1.2,
        "the message that switches off and the vehicle's contactors",
    ),
    Tie("mains on", "current on", 3.0, 3.0, "mains and the current that follows"),
)


class Alignment(BaseModel):
    """How a capture lies on the session's clock. doubt_s: how well; None where nothing checks it.

    how: "first" sets the clock; "none" could not be placed. matched: shared events; drift in parts of one.
    """

    model_config = ConfigDict(frozen=True)

    how: Literal["first", "events", "recorded", "hand", "none"]
    offset_s: float = 0.0
    drift: float = 0.0
    matched: int = 0
    doubt_s: float | None = None
    text: str

    @property
    def clock(self) -> Clock:
        return Clock(self.offset_s, self.drift)


def landmarks_of(records: Records) -> tuple[Landmark, ...]:
    """Events of a capture that another capture of the same plug-in may show too."""
    return tuple(
        sorted(mark for lane in LANES for record in records.of(lane.record) for mark in lane.landmarks(record))
    )


class _Pairs(NamedTuple):
    """Every pair of events that may be one: offsets it asks for, how sure, weight, times; each shape (k,)."""

    offset: Floats
    doubt: Floats
    weight: Floats
    at: Floats
    fixed: list[Landmark]
    moving: list[Landmark]
    exact: list[bool]


def by_events(fixed: Sequence[Landmark], moving: Sequence[Landmark], near_s: float | None = None) -> Alignment | None:
    """The offset under which most events of `moving` fall on those of `fixed`; None where none can, or where several
    offsets would do as well. near_s: an offset known from elsewhere, which decides between equals.
    """
    pairs = _pairs(fixed, moving)
    if not len(pairs.offset):
        return None
    slack = pairs.doubt + _DRIFT_MAX * np.abs(pairs.at - np.median(pairs.at)) / 2
    apart = np.abs(pairs.offset[:, None] - pairs.offset[None, :])
    # One event of each file counts once for each kind; loose ties speak softly, the tighter the louder.
    votes = (apart <= slack[None, :] + slack[:, None]) @ (pairs.weight / (1.0 + pairs.doubt))
    if near_s is not None:
        votes = votes - 1e-3 * np.minimum(np.abs(pairs.offset - near_s), 1e3)
    order = np.argsort(-votes, kind="stable")
    best = int(order[0])
    reach = 3.0 * (slack + slack[best])
    rivals = np.abs(pairs.offset - pairs.offset[best]) > reach
    if rivals.any() and votes[rivals].max() > 0.97 * votes[best]:
        return None
    return _settled(pairs, best, slack)


def _pairs(fixed: Sequence[Landmark], moving: Sequence[Landmark]) -> _Pairs:
    rows: list[tuple[float, float, float, Landmark, Landmark, bool]] = []
    plain = {tie.first for tie in TIES} | {tie.later for tie in TIES}
    counts = Counter(m.kind for m in fixed), Counter(m.kind for m in moving)
    rare = sorted({m.kind for m in moving} & {m.kind for m in fixed}, key=lambda k: counts[0][k] * counts[1][k])
    for kind in rare:
        # Plain kinds repeat what a labelled step says already.
        if kind in (">C", "C>", "A>B", "B>A"):
            continue
        ones, others = ([m for m in side if m.kind == kind] for side in (fixed, moving))
        if len(rows) + len(ones) * len(others) > _MOST_PAIRS:
            break
        rows += [(a.time_s - b.time_s, a.doubt_s + b.doubt_s, 1.0, a, b, True) for a in ones for b in others]
    for tie in TIES if plain else ():
        for first, later, sign in ((fixed, moving, 1.0), (moving, fixed, -1.0)):
            for a in (m for m in first if m.kind == tie.first):
                for b in (m for m in later if m.kind == tie.later):
                    offset = sign * (a.time_s + tie.lag_s - b.time_s)
                    here, there = (a, b) if sign > 0 else (b, a)
                    if len(rows) < _MOST_PAIRS:
                        rows.append((offset, tie.doubt_s + a.doubt_s, _LOOSE_WEIGHT, here, there, False))
    return _Pairs(
        np.array([r[0] for r in rows]),
        np.array([r[1] for r in rows]),
        np.array([r[2] for r in rows]),
        np.array([r[4].time_s for r in rows]),
        [r[3] for r in rows],
        [r[4] for r in rows],
        [r[5] for r in rows],
    )


def _settled(pairs: _Pairs, best: int, slack: Floats) -> Alignment:
    """Offset, drift and residual from the pairs that agree with the best one, each event used once."""
    agreeing = np.flatnonzero(np.abs(pairs.offset - pairs.offset[best]) <= slack + slack[best])
    used: set[tuple[Landmark, int]] = set()
    kept: list[int] = []
    for i in sorted(agreeing.tolist(), key=lambda i: abs(pairs.offset[i] - pairs.offset[best])):
        ends = {(pairs.fixed[i], 0), (pairs.moving[i], 1)}
        if not ends & used:
            kept.append(i)
            used |= ends
    exact = [i for i in kept if pairs.exact[i]]
    if not exact:
        narrowest = min(kept, key=lambda i: pairs.doubt[i])
        # Loose ties bound the offset from several sides: their common middle is the best that can be said.
        low = max(pairs.offset[i] - pairs.doubt[i] for i in kept)
        high = min(pairs.offset[i] + pairs.doubt[i] for i in kept)
        middle, doubt = (low + high) / 2, max((high - low) / 2, 0.01)
        if high < low:
            middle, doubt = float(pairs.offset[narrowest]), float(pairs.doubt[narrowest])
        text = f"By {_count(len(kept))} that belong{'s' if len(kept) == 1 else ''} together ({_words(pairs, kept)})"
        text = f"{text}, to within {seconds(doubt)}."
        return Alignment(how="events", offset_s=float(middle), matched=len(kept), doubt_s=float(doubt), text=text)
    offsets, times = pairs.offset[exact], pairs.at[exact]
    drift = 0.0
    if len(exact) >= _DRIFT_EVENTS and np.ptp(times) >= _DRIFT_SPAN_S:
        drift, offset = (float(v) for v in np.polyfit(times, offsets, 1))
    else:
        offset = float(np.median(offsets))
    if abs(drift) > _DRIFT_MAX:
        drift, offset = 0.0, float(np.median(offsets))
    residual = float(np.sqrt(np.mean((offsets - offset - drift * times) ** 2)))
    if len(exact) == 1:
        doubt = float(pairs.doubt[exact[0]])
        text = f"By one shared event ({_say(pairs.moving[exact[0]].kind)}); no second one checks it."
    else:
        doubt = max(residual, 1e-3)
        runs = f"; its clock runs {abs(drift) * 1e6:.0f} ppm {'slow' if drift > 0 else 'fast'}" if drift else ""
        text = f"By {len(exact)} shared events, which agree to within {seconds(doubt)}{runs}."
    return Alignment(how="events", offset_s=offset, drift=drift, matched=len(exact), doubt_s=doubt, text=text)


def _count(number: int) -> str:
    return "one pair of events" if number == 1 else f"{number} pairs of events"


def _words(pairs: _Pairs, kept: Sequence[int]) -> str:
    kinds = {(pairs.fixed[i].kind, pairs.moving[i].kind) for i in kept}
    return "; ".join(t.words for t in TIES if (t.first, t.later) in kinds or (t.later, t.first) in kinds)


def _say(kind: str) -> str:
    return kind.replace(">", " to ")


def by_recorded_start(fixed: str, moving: str) -> Alignment | None:
    """From the moments two files say they were recorded at; None where either is missing or not understood.

    Day and month may stand either way round; where that matters the reading that brings the two closer is taken.
    """
    candidates = [
        (moved - set_).total_seconds()
        for set_, moved in itertools.product(_moments(fixed), _moments(moving))
        if (set_.tzinfo is None) == (moved.tzinfo is None)
    ]
    if not candidates:
        return None
    offset = min(candidates, key=abs)
    fine = all(re.search(r":\d\d[.,]\d", text) for text in (fixed, moving))
    doubt = 0.01 if fine else 1.0
    text = f"By the start each file records, to {'a fraction of ' if fine else ''}a second if both clocks were right."
    return Alignment(how="recorded", offset_s=offset, doubt_s=doubt, text=text)


_DATED = re.compile(
    r"\d{1,4}[-/.]\d{1,2}[-/.]\d{1,4}|\b(jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)", re.IGNORECASE
)


def _moments(text: str) -> list[datetime]:
    """What a file's word for its moment may mean: day before month, and the other way round. Empty for no moment."""
    if not re.search(r"\d{1,2}:\d\d", text) or not _DATED.search(text):
        return []
    iso = re.match(r"\d{4}-\d\d-\d\d", text.strip())
    found = []
    for dayfirst in (False,) if iso else (True, False):
        try:
            found.append(dates.parse(text, dayfirst=dayfirst))
        except (ValueError, OverflowError):
            continue
    return found


def by_hand(offset_s: float, by_name: str, why: str) -> Alignment:
    """As a person placed it."""
    text = f"Placed by hand by {by_name}: “{why}”." if why else f"Placed by hand by {by_name}."
    return Alignment(how="hand", offset_s=offset_s, text=text)
