"""What a CAN log shows, folded to what rules look at: who sends what how often, and the course of every role."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar, NamedTuple

import numpy as np
from pydantic import BaseModel, ConfigDict

from gladwire.core.can.decode import Track, decode
from gladwire.core.can.log import CanLog, id_words
from gladwire.core.can.names import Kind, Names
from gladwire.core.lanes.bus.proposing import Proposal, propose
from gladwire.core.lanes.bus.roles import BY_KEY, is_flag, is_on, unit_words
from gladwire.core.lanes.records import Record
from gladwire.core.moments import Duration, Moment, Moments
from gladwire.core.signal.waveform import Floats

_MOST_POINTS = 4000
# A cyclic message that stays away for so many cycles, and so long, is missing.
MISSING_CYCLES, MISSING_S = 5.0, 1.0


class Course(BaseModel):
    """A role's course: values where they changed, the last one kept. time_s is moved with the clock as `moves`.

    signal: its full name. choices: words of its values, where the description has them.
    """

    model_config = ConfigDict(frozen=True)

    role: str
    signal: str
    unit: str
    moves: Moments
    values: tuple[float, ...]
    end_s: Moment
    choices: dict[int, str] = {}

    def at(self, time_s: float) -> float | None:
        """The value that held at a moment; None before the first."""
        n = int(np.searchsorted(self.moves, time_s, side="right")) - 1
        return self.values[n] if n >= 0 else None

    def word(self, value: float) -> str:
        text = self.choices.get(int(value)) if float(value).is_integer() else None
        if text is None and not self.unit and value in (0.0, 1.0) and not self.choices:
            text = "on" if value else "off"
        return text if text else f"{value:g} {self.unit}".strip()

    def on(self, value: float) -> bool:
        """Whether a value of this state means that it holds."""
        return is_on(self.role, value, self.choices)

    def exchanges(self, on: bool, after_s: float = float("-inf")) -> float | None:
        """When it goes on (or off) for the first time after a moment; what it begins with counts."""
        pairs = zip(self.moves, self.values, strict=True)
        return next((t for t, v in pairs if t >= after_s and self.on(v) == on), None)

    def spans(self) -> list[tuple[float, float]]:
        """(from, to) of every time it is on."""
        found, start = [], None
        for t, v in zip(self.moves, self.values, strict=True):
            if self.on(v) and start is None:
                start = t
            elif not self.on(v) and start is not None:
                found.append((start, t))
                start = None
        return [*found, (start, self.end_s)] if start is not None else found

    def within(self, start_s: float, end_s: float) -> Floats:
        """Values that held between two moments."""
        inside = [v for t, v in zip(self.moves, self.values, strict=True) if start_s <= t <= end_s]
        held = self.at(start_s)
        return np.array([*([held] if held is not None else []), *inside])


class SignalSeen(BaseModel):
    """A named signal as the log shows it. role: what it is for, empty for none; proposed: what it may be for, to be settled;
    why: what speaks for either."""

    model_config = ConfigDict(frozen=True)

    name: str
    unit: str
    sender: str
    low: float
    high: float
    last: float
    changes: int
    role: str = ""
    proposed: str = ""
    why: str = ""
    choices: dict[int, str] = {}


class MessageSeen(BaseModel):
    """An identifier on the bus. name: empty where no description names it. cycle_s: median time between two of them.

    gap_s: the longest time without one, gap_at_s where it begins.
    """

    model_config = ConfigDict(frozen=True)

    identifier: str
    name: str
    sender: str
    count: int
    cycle_s: Duration | None
    first_at_s: Moment
    last_at_s: Moment
    gap_s: Duration = 0.0
    gap_at_s: Moment = 0.0


class Flag(BaseModel):
    """A warning of a controller while it stood. sender: as the description names it."""

    model_config = ConfigDict(frozen=True)

    name: str
    sender: str
    start_s: Moment
    end_s: Moment
    word: str


class CanRecord(Record):
    """A CAN log. description: title of what named it, empty for nothing. kind: whose bus it is. settled_by: who settled
    the roles, empty while they are guessed."""

    lane: ClassVar[str] = "bus"

    frames: int
    errors: int = 0
    description: str = ""
    kind: Kind = "controller"
    settled_by: str = ""
    messages: tuple[MessageSeen, ...] = ()
    signals: tuple[SignalSeen, ...] = ()
    courses: tuple[Course, ...] = ()
    flags: tuple[Flag, ...] = ()

    def of(self, role: str) -> Course | None:
        return next((c for c in self.courses if c.role == role), None)

    @property
    def unnamed(self) -> int:
        return sum(1 for m in self.messages if not m.name)


class Measured(NamedTuple):
    """The record, and every track the lanes are drawn from."""

    record: CanRecord
    tracks: tuple[Track, ...]


def measure_can(
    log: CanLog,
    names: Names | None,
    roles: Mapping[str, str] | None = None,
    settled_by: str = "",
    besides: Mapping[str, str] | None = None,
) -> Measured:
    """Fold a log. roles: role key to full signal name, as a person settled them for this bus; None guesses.

    besides: roles settled for this log alone; they come before the others.
    """
    tracks = decode(log, names) if names else []
    proposals = propose(tracks) if roles is None else ()
    chosen = dict(roles) if roles is not None else {p.role: p.signal for p in proposals if p.sure}
    given = dict(besides or {})
    chosen = {role: signal for role, signal in chosen.items() if signal not in given.values()} | given
    by_signal = {signal: role for role, signal in chosen.items()}
    told = {p.signal: p for p in proposals if p.signal not in given.values()}
    record = CanRecord(
        start_s=float(log.time_s[0]) if len(log.time_s) else 0.0,
        end_s=log.end_s,
        frames=len(log.ids),
        errors=log.errors,
        description=names.title if names else "",
        kind=names.kind if names else "controller",
        settled_by=settled_by,
        messages=_messages(log, names),
        signals=tuple(_seen(t, by_signal.get(t.name, ""), told.get(t.name)) for t in tracks),
        flags=tuple(
            f for t in tracks if is_flag(t.name, t.signal.unit, len(t.signal.bits)) for f in _flags(t, log.end_s)
        ),
        courses=tuple(_course(t, by_signal[t.name], log.end_s) for t in tracks if by_signal.get(t.name) in BY_KEY),
    )
    return Measured(record, tuple(tracks))


def _messages(log: CanLog, names: Names | None) -> tuple[MessageSeen, ...]:
    known = {m.key: m for m in names.messages} if names else {}
    found = []
    for key in np.unique(log.ids):
        times = log.time_s[log.ids == key]
        steps = np.diff(times)
        named = known.get(int(key))
        cycle = float(np.median(steps)) if len(steps) else None
        widest = int(np.argmax(steps)) if len(steps) else 0
        after = log.end_s - float(times[-1])
        gap, at = (float(steps[widest]), float(times[widest])) if len(steps) else (0.0, float(times[-1]))
        if after > gap:
            gap, at = after, float(times[-1])
        found.append(
            MessageSeen(
                identifier=id_words(int(key)),
                name=named.name if named else "",
                sender=named.sender if named else "",
                count=len(times),
                cycle_s=cycle,
                first_at_s=float(times[0]),
                last_at_s=float(times[-1]),
                gap_s=gap,
                gap_at_s=at,
            )
        )
    return tuple(sorted(found, key=lambda m: (not m.name, m.identifier)))


def _seen(track: Track, role: str, told: Proposal | None) -> SignalSeen:
    values = track.values[np.isfinite(track.values)]
    return SignalSeen(
        name=track.name,
        unit=unit_words(track.signal.unit),
        sender=track.message.sender,
        low=float(values.min()) if len(values) else 0.0,
        high=float(values.max()) if len(values) else 0.0,
        last=float(values[-1]) if len(values) else 0.0,
        changes=int(np.count_nonzero(np.diff(values))),
        role=role,
        proposed=told.role if told and not told.sure and not role else "",
        why=told.why if told else "",
        choices=dict(track.signal.choices),
    )


def _flags(track: Track, end_s: float) -> list[Flag]:
    course = _course(track, "", end_s)
    return [
        Flag(name=track.name, sender=track.message.sender, start_s=a, end_s=b, word=course.word(course.at(a) or 0.0))
        for a, b in course.spans()[:4]
    ]


def _course(track: Track, role: str, end_s: float) -> Course:
    times, values = _changes(track.time_s, track.values)
    return Course(
        role=role,
        signal=track.name,
        unit=unit_words(track.signal.unit),
        moves=tuple(times.tolist()),
        values=tuple(values.tolist()),
        end_s=end_s,
        choices=dict(track.signal.choices),
    )


def _changes(times: Floats, values: Floats) -> tuple[Floats, Floats]:
    """Where a value changes; of a course with more changes than are kept, every so-manieth and both extremes."""
    read = np.isfinite(values)
    times, values = times[read], values[read]
    keep = np.ones(len(values), dtype=bool)
    keep[1:] = np.diff(values) != 0
    if len(keep):
        keep[-1] = True
    times, values = times[keep], values[keep]
    if len(times) > _MOST_POINTS:
        step = -(-len(times) // _MOST_POINTS)
        at = np.unique([*range(0, len(times), step), int(values.argmin()), int(values.argmax()), len(times) - 1])
        times, values = times[at], values[at]
    return times, values


def missing(record: CanRecord) -> Sequence[MessageSeen]:
    """Named messages that came regularly and then stayed away."""
    return [
        m
        for m in record.messages
        if m.name and m.cycle_s and m.count >= 10 and m.gap_s > max(MISSING_CYCLES * m.cycle_s, MISSING_S)
    ]
