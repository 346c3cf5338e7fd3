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

from gladwire.core.lanes.bus.record import CanRecord
from gladwire.core.lanes.bus.rules import closed_at, opened_at
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.frames.rules.ending import switched_off
from gladwire.core.lanes.frames.rules.loop import switched_on
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.session.clock import Clock
from gladwire.core.session.scene import Scene
from gladwire.core.signal.waveform import Floats
from gladwire.core.words import seconds

# Crystals of instruments differ by tens of millionths.
_DRIFT_MAX = 200e-6
_EXACT_S = 3e-3
_MOST_PAIRS = 4000
# A clock's run is fitted only where this many exact events lie this far apart.
_DRIFT_EVENTS, _DRIFT_SPAN_S = 4, 20.0
_LOOSE_WEIGHT = 0.3


class Moment(NamedTuple):
    """An event of a capture: its time in seconds, what kind it is, and how well its time is known."""

    time_s: float
    kind: str
    doubt_s: float = _EXACT_S


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


def moments_of(scene: Scene) -> tuple[Moment, ...]:
    """Events of a scene that another capture of the same plug-in may show too."""
    found: list[Moment] = []
    for pilot in scene.pilots:
        found += _steps(pilot)
    for proximity in scene.proximities:
        for p, q in itertools.pairwise(proximity.segments):
            if "absent" in (p.state, q.state):
                found.append(Moment(q.start_s, "plug in" if p.state == "absent" else "plug out"))
            else:
                found.append(Moment(q.start_s, f"proximity {p.state}>{q.state}"))
    for lock in scene.locks:
        found += [Moment(a.start_s, "lock driven" if a.to_lock else "lock released") for a in lock.attempts]
        found += [Moment(at, "lock moves") for at in lock.moves]
    for contactor in scene.contactors:
        for c in contactor.closings:
            found.append(Moment(c.start_s, "contactor closes"))
            found += [] if c.until_end else [Moment(c.end_s, "contactor opens")]
    for conversation in scene.conversations:
        found += _said(conversation)
    for bus in scene.buses:
        found += _sent(bus)
    if scene.mains:
        found += _edges(scene.mains.volts, "mains", scene.mains.start_s, scene.mains.end_s)
        found += _edges(scene.mains.amps, "current", scene.mains.start_s, scene.mains.end_s)
    return tuple(sorted(found))


def _steps(pilot: PilotRecord) -> list[Moment]:
    """Every change of state or offer."""
    found: list[Moment] = []
    known = [s for s in pilot.segments if s.state != "unknown"]
    digital = next((s for s in known if s.offer_kind == "digital" and s.state != "A"), None)
    if digital and digital is not known[0]:
        found.append(Moment(digital.start_s, "5 % begins"))
    for a, b in itertools.pairwise(known):
        at, doubt = b.start_s, _EXACT_S + max(0.0, b.start_s - a.end_s)
        if a.label != b.label:
            found.append(Moment(at, f"{a.label}>{b.label}", doubt))
        elif a.duty_percent is not None and b.duty_percent is not None:
            found.append(Moment(at, "offer falls" if b.duty_percent < a.duty_percent else "offer rises", doubt))
        found += [Moment(at, kind, doubt) for kind in _plain_kinds(a.state, b.state)]
    return found


def _said(conversation: ConversationRecord) -> list[Moment]:
    """Moments of a conversation that a pilot answers to."""
    found = [Moment(run.start_s, "matching begins", 0.01) for run in conversation.slac[:1]]
    for talk in conversation.talks:
        checks = talk.of("CableCheck")
        found += [Moment(checks[0].start_s, "cable check begins", 0.01)] if checks else []
        on = switched_on(talk)
        found += [Moment(on.start_s, "switched on", 0.01)] if on else []
        off = switched_off(talk)
        found += [Moment(off.start_s, "switched off", 0.01)] if off else []
    return found


def _sent(bus: CanRecord) -> list[Moment]:
    """Moments of a bus that other captures show; sent in cycles, they are known no better than those."""
    found = []
    plug, lock = bus.of("plug"), bus.of("lock")
    if plug and (at := plug.turns(True)) is not None and at > bus.start_s + _CYCLE_S:
        found.append(Moment(at, "plug in", _CYCLE_S))
    if lock and (at := lock.turns(True)) is not None and at > bus.start_s + _CYCLE_S:
        found.append(Moment(at, "lock moves", _CYCLE_S))
    for kind, at in (("vehicle contactors close", closed_at(bus)), ("vehicle contactors open", opened_at(bus))):
        if at is not None and at > bus.start_s + _CYCLE_S:
            found.append(Moment(at, kind, _CYCLE_S))
    return found


_CYCLE_S = 0.1


def _plain_kinds(before: str, after: str) -> list[str]:
    """Kinds that only serve to tie other lanes: plug-in and request, whatever oscillates."""
    kinds = []
    if before == "A" and after in "BCD":
        kinds.append("A>B")
    if before in "BCD" and after == "A":
        kinds.append("B>A")
    if after in "CD" and before not in "CD":
        kinds.append(">C")
    if before in "CD" and after not in "CD":
        kinds.append("C>")
    return kinds


def _edges(spans: Sequence[NamedTuple] | Sequence[BaseModel], name: str, start_s: float, end_s: float) -> list[Moment]:
    """On and off of spans, leaving out what only the capture's own ends cut."""
    found = []
    for span in spans:
        first, last = getattr(span, "start_s"), getattr(span, "end_s")  # noqa: B009
        found += [Moment(first, f"{name} on", 0.01)] if first > start_s + 0.02 else []
        found += [Moment(last, f"{name} off", 0.01)] if last < end_s - 0.02 else []
    return found


class _Pairs(NamedTuple):
    """Every pair of events that may be one: offsets it asks for, how sure, weight, times; each shape (k,)."""

    offset: Floats
    doubt: Floats
    weight: Floats
    at: Floats
    fixed: list[Moment]
    moving: list[Moment]
    exact: list[bool]


def by_events(fixed: Sequence[Moment], moving: Sequence[Moment], near_s: float | None = None) -> Alignment | None:
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


def _pairs(fixed: Sequence[Moment], moving: Sequence[Moment]) -> _Pairs:
    rows: list[tuple[float, float, float, Moment, Moment, bool]] = []
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
    used: set[tuple[Moment, int]] = set()
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
