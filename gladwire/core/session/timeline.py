"""A charging session of several captures: each placed on one clock, what they show put together, and judged as one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple, Protocol, TypeVar

from gladwire.core.analysis import Analysis
from gladwire.core.lanes.power.joined import joined
from gladwire.core.session.alignment import Alignment, Moment, by_events, by_recorded_start, moments_of
from gladwire.core.session.clock import on_clock
from gladwire.core.session.inspection import Inspection
from gladwire.core.session.judgement import Judgement, judge
from gladwire.core.session.scene import Scene, joined_mains
from gladwire.core.session.stamps import Stamp
from gladwire.core.words import seconds

# Records that share more than this are two views of one thing; the first is judged, the other only shown.
_OVERLAP_S = 0.5
# Recorded starts that say more than this apart are of another plug-in.
_SAME_PLUG_IN_S = 24 * 3600.0


class Part(NamedTuple):
    """One capture of a session. by_hand: where a person placed it, if anyone did."""

    name: str
    analysis: Analysis
    by_hand: Alignment | None = None


class Together(NamedTuple):
    """A session judged as one. alignments: in step with the parts. aside: names of pilots shown but not judged."""

    judgement: Judgement
    scene: Scene
    alignments: tuple[Alignment, ...]
    aside: tuple[str, ...]


class _Timed(Protocol):
    @property
    def start_s(self) -> float: ...
    @property
    def end_s(self) -> float: ...


Record = TypeVar("Record", bound=_Timed)


def put_together(
    parts: Sequence[Part], stamps: Sequence[Stamp] = (), inspections: Sequence[Inspection] = ()
) -> Together:
    """Place every capture, join what they show, and judge it. Raises ValueError for no capture at all."""
    if not parts:
        raise ValueError("a session needs at least one capture")
    alignments = place(parts)
    moved = [
        (part, on_clock(part.analysis.scene, alignment.clock))
        for part, alignment in zip(parts, alignments, strict=True)
        if alignment.how != "none"
    ]
    # The capture that sets the clock is heard first.
    moved.sort(key=lambda pair: alignments[parts.index(pair[0])].how != "first")
    pilots, aside = _apart([(part.name, r) for part, scene in moved for r in scene.pilots])
    proximities, _ = _apart([(part.name, r) for part, scene in moved for r in scene.proximities])
    locks, _ = _apart([(part.name, r) for part, scene in moved for r in scene.locks])
    power = joined([p for _, scene in moved for p in scene.powers])
    scene = Scene(
        pilots=pilots,
        proximities=proximities,
        locks=locks,
        mains=joined_mains([scene.mains for _, scene in moved if scene.mains]),
        contactors=tuple(c for _, scene in moved for c in scene.contactors),
        power_noise=tuple(n for _, scene in moved for n in scene.power_noise),
        buses=tuple(b for _, scene in moved for b in scene.buses),
        powers=(power,) if power else (),
        conversations=tuple(sorted((c for _, s in moved for c in s.conversations), key=lambda c: c.start_s)),
        stamps=tuple(sorted(stamps, key=lambda s: s.at_s)),
        inspections=tuple(inspections),
    )
    alone = len(parts) == 1 and not stamps and not inspections
    return Together(parts[0].analysis if alone else judge(scene), scene, alignments, aside)


def _apart(named: Sequence[tuple[str, Record]]) -> tuple[tuple[Record, ...], tuple[str, ...]]:
    """(records that do not overlap, in order of time; names of those left aside)."""
    kept: list[Record] = []
    aside = []
    for name, record in named:
        if any(min(k.end_s, record.end_s) - max(k.start_s, record.start_s) > _OVERLAP_S for k in kept):
            aside.append(name)
        else:
            kept.append(record)
    return tuple(sorted(kept, key=lambda r: r.start_s)), tuple(aside)


def place(parts: Sequence[Part]) -> tuple[Alignment, ...]:
    """Where each capture lies on the session's clock, which the first one with a pilot sets (else the first)."""
    first = next((i for i, p in enumerate(parts) if p.analysis.pilot), 0)
    found: dict[int, Alignment] = {first: Alignment(how="first", text="Sets the session's clock.")}
    seen: list[Moment] = list(moments_of(parts[first].analysis.scene))
    waiting = [i for i in range(len(parts)) if i != first]
    # A capture that only a third one ties to the rest is tried again once that one is placed.
    for _ in range(len(parts)):
        for i in list(waiting):
            alignment = _place(parts[first], parts[i], seen)
            if alignment:
                found[i] = alignment
                waiting.remove(i)
                moments = moments_of(parts[i].analysis.scene)
                seen += [m._replace(time_s=alignment.clock.on_session(m.time_s)) for m in moments]
    for i in waiting:
        text = "Nothing ties it to the others: no shared event, no recorded start. Place it by hand."
        found[i] = Alignment(how="none", text=text)
    return tuple(found[i] for i in range(len(parts)))


def _place(first: Part, part: Part, seen: Sequence[Moment]) -> Alignment | None:
    if part.by_hand:
        return part.by_hand
    recorded = by_recorded_start(first.analysis.recorded_at, part.analysis.recorded_at)
    if recorded:
        # The word of a file is about its first sample, or about its trigger where time starts before it.
        starts = [min(p.analysis.start_s, 0.0) - p.analysis.start_s for p in (first, part)]
        recorded = recorded.model_copy(update={"offset_s": recorded.offset_s + starts[1] - starts[0]})
        if abs(recorded.offset_s) > _SAME_PLUG_IN_S:
            recorded = None
    shared = by_events(seen, moments_of(part.analysis.scene), recorded.offset_s if recorded else None)
    if shared is None:
        return recorded
    if recorded is None:
        return shared
    differ = shared.offset_s - recorded.offset_s
    if shared.matched < 2 and abs(differ) > 5.0:
        text = f"{recorded.text} A single event that looks shared would put it {seconds(abs(differ))} elsewhere."
        return recorded.model_copy(update={"text": text})
    if abs(differ) <= (shared.doubt_s or 0.0) and (recorded.doubt_s or 1.0) < (shared.doubt_s or 0.0):
        return recorded.model_copy(update={"text": f"{recorded.text} {_agrees(shared.matched)}"})
    if abs(differ) > max(recorded.doubt_s or 0.0, shared.doubt_s or 0.0):
        return shared.model_copy(update={"text": f"{shared.text} The files' own clocks differ by {_signed(differ)}."})
    return shared


def _agrees(matched: int) -> str:
    return "One event both show agrees." if matched == 1 else f"{matched} events both show agree."


def _signed(value: float) -> str:
    return f"{'+' if value > 0 else '−'}{seconds(abs(value))}"
