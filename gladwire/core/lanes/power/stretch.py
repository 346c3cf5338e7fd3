"""One stretch of a session during which power goes one way, and everything that was read while it lasted."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal, NamedTuple

import numpy as np

from gladwire.core.lanes.power.record import IDLE_KW, IDLE_SHARE
from gladwire.core.lanes.power.shape import Blocks, StraightPiece
from gladwire.core.power.chain import Cap, Context
from gladwire.core.power.limiters import POST_SIDE
from gladwire.core.signal.waveform import Floats
from gladwire.core.standards.practice import NEAR_SHARE, OVER_RATING_SHARE

Course = Literal["off", "ramp", "rise", "fall", "level"]
# Share of the level, a minute: more is a rise or a fall. Volts of a pack lift kW by under half a percent a minute.
_RISES, _FALLS = 0.010, 0.004
# So little of the top is no movement.
_STILL_SHARE, _STILL_STEPS = 0.02, 1.5
# Share of the session's top, a minute, and the whole of it: only a ramp or a step is as steep.
_RAMPS = 0.18
_STEP_SHARE, _STEP_S, _STEP_BLOCKS = 0.045, 45.0, 2
_FALLEN = 1.03
# Volts must lift by so much before amperes and kW can be told apart; what stands moves by less than this share of the lift,
# or by so little.
_LIFTED, _STANDS, _STILL = 0.008, 0.35, 0.003
# kW alone: the most by which a pack's volts lift power a point of charge, at low charge, and in all; so many points of charge
# lift the volts of a usual pack visibly.
_LIFT_PER_POINT, _LIFT_LOW, _LIFT_MOST, _LIFTS_POINTS = 0.005, 0.03, 0.25, 12.0
_COARSE = 0.02
_CREEPS, _CREEP_S, _CREEP_POINTS, _FILLS_S = 0.012, 240.0, 4.0, 1200.0
# The session's highest level, within this share.
_HIGHEST = 0.965
# A fall of this share of the level before is one; back is who reaches this share of it again.
_FALL_SHARE, _BACK = 0.05, 0.95


@dataclass(frozen=True)
class Whole:
    """What all stretches of a session share. Arrays over blocks, shape (k,); NaN where nothing was read.

    later_kw: highest power after each block. caps: what each known part lets through. neighbours: moments at which
    somebody else is known to have plugged in or left. every_s: between readings, as usual.
    step_kw: what a coarse display rounds to; resolution: the same of every quantity read, 0 where it is fine.
    """

    blocks: Blocks
    top_kw: float
    context: Context
    read: dict[str, Floats]
    caps: Sequence[tuple[Cap, Floats]]
    later_kw: Floats
    soc_steps: Floats
    neighbours: Sequence[float] = ()
    every_s: float = 1.0
    step_kw: float = 0.0
    resolution: Mapping[str, float] = field(default_factory=dict)

    @property
    def idle_kw(self) -> float:
        return max(IDLE_KW, IDLE_SHARE * self.top_kw)

    @cached_property
    def block_s(self) -> float:
        times = self.blocks.time_s
        return float((times[-1] - times[0]) / max(len(times) - 1, 1))

    @cached_property
    def top_a(self) -> float | None:
        """Highest amperes that stood for a few readings; None where none were read."""
        amps = self.read.get("amps_a")
        if amps is None or not np.isfinite(amps).any():
            return None
        known = amps[np.isfinite(amps)]
        return float(np.convolve(known, np.ones(3) / 3.0, "valid").max()) if len(known) > 8 else float(known.max())

    def coarse(self, key: str, value: float) -> float:
        """The share of a value that a display rounds away, 0 where it is fine."""
        return self.resolution.get(key, 0.0) / max(abs(value), 1e-9)

    @cached_property
    def exceeded_a(self) -> bool:
        """Whether more flowed than an adapter, cable or connector known is rated for."""
        c = self.context
        rated = [a for a in (c.adapter_a_continuous, c.cable_a, c.connector_a) if a and not c.is_ac]
        return self.top_a is not None and any(self.top_a > (1.0 + OVER_RATING_SHARE) * a for a in rated)

    def given_until(self, block: int) -> tuple[float, float]:
        """(kWh that flowed before a block, hours since power began)."""
        times, power = self.blocks.time_s[: block + 1], self.blocks.power_kw[: block + 1]
        flows = np.flatnonzero(power > self.idle_kw)
        if not len(flows) or len(times) < 2:
            return 0.0, 0.0
        return float(np.trapezoid(power, times)) / 3600.0, float(times[-1] - times[flows[0]]) / 3600.0

    def amps_before(self, stretch: Stretch) -> float | None:
        """Highest amperes before a stretch, None where none were read."""
        amps = self.read.get("amps_a")
        earlier = amps[: stretch.first] if amps is not None else np.empty(0)
        return float(np.nanmax(earlier)) if np.isfinite(earlier).any() else None


@dataclass(frozen=True)
class Stretch:
    """Blocks first to last, both included. before, after: levels in kW of the stretches beside it, 0 at the ends.

    stepped_in, stepped_out: by how many kW power jumped where it begins and ends, 0 where it went evenly. fallen: whether
    power was clearly higher before.
    """

    whole: Whole
    course: Course
    first: int
    last: int
    start_s: float
    end_s: float
    start_kw: float
    end_kw: float
    before_kw: float = 0.0
    after_kw: float = 0.0
    stepped_in: float = 0.0
    stepped_out: float = 0.0
    number: int = 0
    of: int = 1
    fallen: bool = False
    fell_from_kw: float = 0.0
    fell_to_kw: float = 0.0
    fell: Literal["", "step", "slow"] = ""

    @property
    def seconds(self) -> float:
        return self.end_s - self.start_s

    @property
    def level_kw(self) -> float:
        return 0.5 * (self.start_kw + self.end_kw)

    @property
    def context(self) -> Context:
        return self.whole.context

    @property
    def change(self) -> float:
        """Share by which power rises over the stretch, negative where it falls."""
        return (self.end_kw - self.start_kw) / max(self.start_kw, self.whole.idle_kw)

    @property
    def for_good(self) -> bool:
        """Whether power never comes back above where this stretch ends."""
        return bool(self.whole.later_kw[self.last] <= 1.05 * max(self.end_kw, self.whole.idle_kw))

    def mean(self, key: str) -> float | None:
        """Mean of what was read of a quantity meanwhile, None where nothing was."""
        found = self.whole.read.get(key)
        if found is None:
            return None
        inside = found[self.first : self.last + 1]
        total = float(np.add.reduce(inside))
        if total == total:  # nothing is missing
            return total / len(inside)
        known = inside[np.isfinite(inside)]
        return float(known.mean()) if len(known) else None

    def settled(self, key: str) -> float | None:
        """Median of what was read of a quantity meanwhile: what stood, whatever ramps lie at the ends. None where nothing was
        read."""
        if key not in self._settled:
            found = self.whole.read.get(key)
            inside = np.empty(0) if found is None else found[self.first : self.last + 1]
            known = np.sort(inside[np.isfinite(inside)])
            count = len(known)
            self._settled[key] = float(known[count // 2] + known[(count - 1) // 2]) / 2.0 if count else None
        return self._settled[key]

    def ends(self, key: str) -> tuple[float, float] | None:
        """First and last reading of a quantity meanwhile, None where there are not two."""
        found = self.whole.read.get(key)
        if found is None:
            return None
        first, last = float(found[self.first]), float(found[self.last])
        if first == first and last == last and self.last > self.first:
            return first, last
        inside = found[self.first : self.last + 1]
        known = inside[np.isfinite(inside)]
        return (float(known[0]), float(known[-1])) if len(known) > 1 else None

    def edges(self, key: str) -> tuple[float, float] | None:
        """Means over the first and the last sixth of what was read of a quantity meanwhile, less the blocks at the very ends,
        which may lie on a step; None where there are not two readings."""
        if key not in self._edges:
            self._edges[key] = self._edges_of(key)
        return self._edges[key]

    @cached_property
    def _settled(self) -> dict[str, float | None]:
        return {}

    @cached_property
    def _edges(self) -> dict[str, tuple[float, float] | None]:
        return {}

    def _edges_of(self, key: str) -> tuple[float, float] | None:
        found = self.whole.read.get(key)
        if found is None:
            return None
        inside = found[self.first : self.last + 1]
        known = inside[np.isfinite(inside)]
        if len(known) < 2:
            return None
        known = known[1:-1] if len(known) > 8 else known
        part = max(len(known) // 6, 1)
        return float(np.add.reduce(known[:part])) / part, float(np.add.reduce(known[-part:])) / part

    @cached_property
    def holds(self) -> Literal["amps", "power", "either"]:
        """What stands still meanwhile: amperes while kW go with the volts, kW while amperes fall, or too little to tell."""
        amps, volts = self.edges("amps_a"), self.edges("volts_v")
        if amps is not None and volts is not None:
            return self._stands(amps, volts)
        if amps is not None and abs(amps[1] - amps[0]) > _LIFTED * amps[0] and abs(self.change) <= _STILL:
            return "power"
        return self._creeps()

    def _stands(self, amps: tuple[float, float], volts: tuple[float, float]) -> Literal["amps", "power", "either"]:
        lift = volts[1] / max(volts[0], 1e-9) - 1.0
        moved = amps[1] / max(amps[0], 1e-9) - 1.0
        more = (1.0 + moved) * (1.0 + lift) - 1.0
        coarse = self.whole.coarse("amps_a", amps[0])
        if abs(lift) < _LIFTED or coarse > 0.5 * abs(lift):
            return "either"
        near = max(_STANDS * abs(lift), _STILL)
        in_amps, in_kw = abs(moved) <= near, abs(more) <= near
        return "amps" if in_amps and not in_kw else "power" if in_kw and not in_amps else "either"

    def _creeps(self) -> Literal["amps", "power", "either"]:
        """The same by kW alone, from what the volts of a usual pack do while it fills."""
        kw, soc = self.edges("power_kw"), self.edges("soc_percent")
        gained = max(soc[1] - soc[0], 0.0) if soc else None
        if kw is None or (self.seconds < _CREEP_S and (gained is None or gained < _CREEP_POINTS)):
            return "either"
        lift = _LIFT_MOST if gained is None else min(_LIFT_MOST, _LIFT_LOW + _LIFT_PER_POINT * gained)
        change = kw[1] / max(kw[0], 1e-9) - 1.0
        if _CREEPS < change < lift:
            return "amps"
        coarse = self.whole.coarse("power_kw", kw[0])
        fills = self.seconds >= _FILLS_S if gained is None else gained >= _LIFTS_POINTS
        # A display shows no less than its step; so much charge lifts volts by more than a coarse one hides.
        long = gained is not None and gained >= 2.0 * _LIFTS_POINTS
        still = fills and abs(change) <= _STILL and coarse <= (_COARSE if long else _STILL)
        return "power" if still and not self.context.is_ac else "either"

    @cached_property
    def highest_amps(self) -> bool:
        """Whether its amperes are the session's highest, as those of a constant must be; by kW alone, whether none before
        were higher."""
        top, amps = self.whole.top_a, self.mean("amps_a")
        if top is not None and amps is not None:
            return amps >= _HIGHEST * top
        before = self.whole.blocks.power_kw[: self.first + 1]
        return self.end_kw >= _HIGHEST * float(before.max())

    @cached_property
    def highest_kw(self) -> bool:
        return self.level_kw >= _HIGHEST * self.whole.top_kw

    @cached_property
    def below_outside(self) -> bool:
        """Whether ratings of the post's side are known and the level lies clearly under each."""
        outside = [
            float(np.nanmean(kw if len(kw) == 1 else kw[self.first : self.last + 1]))
            for cap, kw in self.whole.caps
            if cap.limiter in POST_SIDE and np.isfinite(kw).any()
        ]
        return bool(outside) and self.level_kw < (1.0 - NEAR_SHARE) * min(outside)

    def top_of(self, key: str) -> float | None:
        """Highest reading of a quantity in the whole session."""
        found = self.whole.read.get(key)
        return None if found is None else float(np.nanmax(found))


def stretches_of(whole: Whole, pieces: Sequence[StraightPiece], locate: Callable[[float], float]) -> list[Stretch]:
    """Pieces joined where power goes on the same way; steps become the ends of what they part.

    locate: the moment of a step near a time, told from the readings themselves.
    """
    runs: list[list[StraightPiece]] = []
    courses: list[Course] = []
    steps: list[float] = []
    jump = 0.0
    ramping = True
    for piece in pieces:
        course = _course(whole, piece, ramping)
        if course is None:  # a step
            jump += piece.end_kw - piece.start_kw
            ramping = ramping or piece.start_kw <= whole.idle_kw
            continue
        ramping = course in ("off", "ramp")
        if (courses and courses[-1] == course and not jump and course != "level") or (
            courses and course == "level" == courses[-1] and abs(jump) < _STEP_SHARE * whole.top_kw
        ):
            runs[-1].append(piece)
        else:
            runs.append([piece])
            courses.append(course)
            steps.append(jump)
        jump = 0.0
    found = [_run(run, course) for run, course in zip(runs, courses, strict=True)]
    return _with_neighbours(whole, found, [*steps[1:], jump], steps, locate)


def _course(whole: Whole, piece: StraightPiece, ramping: bool) -> Course | None:
    """Which way a piece goes; None for a step."""
    idle = whole.idle_kw
    if max(piece.start_kw, piece.end_kw) <= idle or _rests(whole, piece, idle):
        return "off"
    delta = piece.end_kw - piece.start_kw
    minutes = piece.seconds / 60.0
    steep = abs(delta) / whole.top_kw / max(minutes, 1e-9)
    if ramping and delta > 0 and steep >= _RAMPS:
        return "ramp"
    short = piece.seconds <= _STEP_S or piece.last - piece.first <= _STEP_BLOCKS
    if short and abs(delta) >= _STEP_SHARE * whole.top_kw and steep >= _RAMPS:
        return None
    if abs(delta) < max(_STILL_SHARE * whole.top_kw, _STILL_STEPS * whole.step_kw):
        return "level"
    share = delta / max(piece.start_kw, piece.end_kw) / max(minutes, 1e-9)
    return "rise" if share > _RISES else "fall" if share < -_FALLS else "level"


def _rests(whole: Whole, piece: StraightPiece, idle: float) -> bool:
    """Whether nothing flows but at the very end of a piece, where power begins."""
    if piece.start_kw > idle or piece.end_kw > _STEP_SHARE * whole.top_kw:
        return False
    return bool(whole.blocks.power_kw[piece.first : piece.last].mean() <= 0.5 * idle)


class _Run(NamedTuple):
    """Pieces joined: blocks first to last, times and powers of its ends."""

    course: Course
    first: int
    last: int
    start_s: float
    end_s: float
    start_kw: float
    end_kw: float


def _run(pieces: Sequence[StraightPiece], course: Course) -> _Run:
    a, b = pieces[0], pieces[-1]
    return _Run(course, a.first, b.last, a.start_s, b.end_s, max(a.start_kw, 0.0), max(b.end_kw, 0.0))


class _Fall(NamedTuple):
    """Power left from_kw and has not come back yet. how: at once or slowly; to_kw: where a step led."""

    from_kw: float
    how: Literal["step", "slow"]
    to_kw: float = 0.0


def _falls(found: Sequence[_Run], into: Sequence[float]) -> list[_Fall | None]:
    """The innermost fall each stretch lies in; a dip within a taper is a fall within a fall."""
    open_: list[_Fall] = []
    told: list[_Fall | None] = []
    for i, stretch in enumerate(found):
        before = found[i - 1].end_kw if i else 0.0
        if stretch.course in ("off", "ramp"):
            open_.clear()
        while open_ and stretch.start_kw >= _BACK * open_[-1].from_kw:
            open_.pop()
        if into[i] < -_FALL_SHARE * before:
            open_.append(_Fall(before, "step", stretch.start_kw))
        elif stretch.course == "fall" and not open_:
            open_.append(_Fall(stretch.start_kw, "slow"))
        elif into[i] > 0 and open_ and stretch.start_kw - before >= 0.5 * (open_[-1].from_kw - before):
            open_.pop()
        told.append(open_[-1] if open_ else None)
    return told


def _with_neighbours(
    whole: Whole, found: Sequence[_Run], out: Sequence[float], into: Sequence[float], locate: Callable[[float], float]
) -> list[Stretch]:
    """Each with the levels beside it; a step belongs to both, its time to what follows."""
    told: list[Stretch] = []
    highest = 0.0
    for i, (run, fall) in enumerate(zip(found, _falls(found, into), strict=True)):
        start = found[i - 1].end_s if i else run.start_s
        if i and into[i]:
            start = max(locate(start), told[-1].start_s)
        highest = max(highest, found[i - 1].start_kw, found[i - 1].end_kw) if i else 0.0
        told.append(
            Stretch(
                whole=whole,
                course=run.course,
                first=run.first,
                last=run.last,
                start_s=start,
                end_s=run.end_s,
                start_kw=run.start_kw,
                end_kw=run.end_kw,
                before_kw=found[i - 1].end_kw if i else 0.0,
                after_kw=found[i + 1].start_kw if i + 1 < len(found) else 0.0,
                stepped_in=into[i],
                stepped_out=out[i],
                number=i,
                of=len(found),
                fallen=highest > _FALLEN * max(run.start_kw, run.end_kw),
                fell_from_kw=fall.from_kw if fall else 0.0,
                fell_to_kw=fall.to_kw if fall else 0.0,
                fell=fall.how if fall else "",
            )
        )
    return told
