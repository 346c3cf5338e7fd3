"""What makes a lane: one declaration of all that timeline, judgement, export and drawings ask of a kind of evidence."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, Generic, NamedTuple, TypeVar

from gladwire.core.findings import Finding, Rule
from gladwire.core.findings import Stage as StageKey
from gladwire.core.lanes.detection import Look
from gladwire.core.lanes.records import Record, Records
from gladwire.core.lanes.unnamed.record import Unnamed
from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Waveform
from gladwire.core.stage import Standing

R = TypeVar("R", bound=Record)
# An instrument shows a step to within a few of its samples.
EXACT_S = 3e-3

Judge = Callable[[Records, Sequence[Finding]], Standing | None]


class Landmark(NamedTuple):
    """An event of a capture that another capture of the plug-in may show too; doubt_s: how well its time is known."""

    time_s: float
    kind: str
    doubt_s: float = EXACT_S


class Mark(NamedTuple):
    """A stretch that is told of a channel in a word or two."""

    start_s: float
    end_s: float
    text: str


class ChannelRole(NamedTuple):
    """What a sampled channel can be. named: logarithm of the odds, by what the parts of its name speak of
    (`recognition.words`) and its unit, 0 where they say nothing of it; None for what is never sampled. looks: the same by
    what it does. doubt: why its values cannot be taken as they stand, "" where they can. units: those it can have beside
    none. unit: what it is in where the file does not say. several: a recording may hold more than one that nobody named.
    hue: of the quantity, a name of `web/palette.py`.
    """

    key: str
    words: str
    hue: str
    named: Callable[[frozenset[str], str], float] | None = None
    looks: Callable[[Look], float] = lambda _: 0.0
    doubt: Callable[[Look], str] = lambda _: ""
    units: tuple[str, ...] = ("V",)
    unit: str = "V"
    several: bool = False


class Channels(NamedTuple):
    """Channels of one recording by their role, in the file's order, without those that are asked about: unnamed. start_s,
    end_s: of the first channel."""

    by_role: Mapping[str, Sequence[Waveform]]
    unnamed: tuple[Unnamed, ...] = ()
    start_s: float = 0.0
    end_s: float = 0.0

    def of(self, role: str) -> Sequence[Waveform]:
        return self.by_role.get(role, ())

    def first(self, role: str) -> Waveform | None:
        found = self.of(role)
        return found[0] if found else None


def in_order(records: Sequence[R]) -> tuple[R, ...]:
    """Records of several captures in order of time."""
    return tuple(sorted(records, key=lambda r: r.start_s))


# Records that share more than this are two views of one thing.
_OVERLAP_S = 0.5


def apart(records: Sequence[R]) -> tuple[R, ...]:
    """Those that do not overlap, in order of time; of two views of one time the first given is judged."""
    kept: list[R] = []
    for record in records:
        if not any(min(k.end_s, record.end_s) - max(k.start_s, record.start_s) > _OVERLAP_S for k in kept):
            kept.append(record)
    return in_order(kept)


def _nothing(*_: object) -> tuple[Any, ...]:
    return ()


def _none(*_: object) -> None:
    return None


class Lane(NamedTuple, Generic[R]):
    """A kind of evidence. To add one: a folder beside this file, and a line in `lanes/all.py`.

    record: what is measured of it. rules: over its records; subjects: what they look at, made of a scene's records.
    measure: its records from the channels of a recording; lanes that come as captures of their own have none. roles: of
    its channels. landmarks: events for alignment. join: records of several captures to those that are judged. judges: of
    stages, None where the lane cannot speak. story: how the session went, "" where it cannot tell; tells: who is asked
    first. begun: whether the session was under way before a finding; None where the lane cannot tell. lines: a record for a
    terminal. entries: a record under the keys of the JSON contract; fixed: keys that are there even where empty. marks:
    stretches told of a channel, by channel and role. folded: whether a channel (name, unit) has no story at first sight.
    """

    key: str
    title: str
    record: type[R]
    rules: tuple[Rule[Any], ...]
    subjects: Callable[[Records], Iterable[Any]]
    measure: Callable[[Channels, Settled], Iterable[R]] = _nothing
    roles: tuple[ChannelRole, ...] = ()
    landmarks: Callable[[R], Iterable[Landmark]] = _nothing
    join: Callable[[Sequence[R]], tuple[R, ...]] = in_order
    judges: Mapping[StageKey, Judge] = {}
    story: Callable[[Records, Sequence[Finding]], str] = lambda *_: ""
    tells: int = 9
    begun: Callable[[Records, Finding], bool | None] = _none
    lines: Callable[[R], list[str]] = lambda _: []
    entries: Callable[[R], Mapping[str, list[dict[str, Any]]]] = lambda _: {}
    marks: Callable[[R, str, str], Iterable[Mark]] = _nothing
    folded: Callable[[Records, str, str], bool] = lambda *_: False
