"""The ledger: every moment of a session gets one limiter, and what it cost.

Three figures are kept apart. Shortfall: kWh against the session's one expected course; it adds up over entries. Headroom:
kWh more that would have flowed had this limiter alone been absent; it does not add up. Minutes cost: how much sooner the
same energy would have been in the pack without it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from typing import NamedTuple

import numpy as np
from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.power.clues import Told
from gladwire.core.lanes.power.course import best_course
from gladwire.core.lanes.power.expected import expected_course
from gladwire.core.lanes.power.record import PowerRecord, completed, energy_so_far, gaps, top_kw
from gladwire.core.lanes.power.shape import Blocks, blocks_of, display_step, pieces_of, resolution
from gladwire.core.lanes.power.stretch import Stretch, Whole, stretches_of
from gladwire.core.moments import Moment
from gladwire.core.power.chain import At, Cap, Context, caps_at, connector_v
from gladwire.core.power.limiters import BY_KEY, LimiterKey
from gladwire.core.signal.waveform import Floats, Ints
from gladwire.core.standards.practice import DEEP_MIN, MISSED_SHARE, WORTH_KWH

_ALSO_READ = (
    "volts_v", "amps_a", "soc_percent", "asked_a", "asked_kw", "post_max_a", "post_max_v", "post_max_kw",
    "vehicle_max_a", "vehicle_max_kw", "pack_c", "connector_c", "ambient_c",
)  # fmt: skip
# So short a stretch that nothing explains is the edge of the one before.
_BRIEF_S = 30.0
_MOST_EVIDENCE = 6
# What is told of a time nothing was read in, and of the pause between two recordings of one session.
_NOT_READ = Told("unexplained", 0.9, ("Nothing was read for {minutes:.1f} min.",))
_NOT_YET = Told("none", 0.9, ("Nothing flows yet in the next recording.",))
_BETWEEN = Told("none", 0.9, ("Between two recordings, {minutes:.1f} min: no power and no energy of it is counted.",))


class Entry(BaseModel):
    """One limiter for a time. Times in seconds of the record, energies in kWh.

    also: limiters the readings cannot tell from it. headroom_kwh, minutes_cost: None where nothing known says what would
    have held without it.
    """

    model_config = ConfigDict(frozen=True)

    limiter: LimiterKey
    also: tuple[LimiterKey, ...] = ()
    start_s: Moment
    end_s: Moment
    minutes: float
    level_kw: float
    energy_kwh: float
    shortfall_kwh: float
    headroom_kwh: float | None = None
    minutes_cost: float | None = None
    confidence: float
    evidence: tuple[str, ...]
    from_soc: float | None = None
    to_soc: float | None = None

    @property
    def is_deep(self) -> bool:
        """Whether it held clearly less than was expected for minutes, however little that is of a long session."""
        expected = self.energy_kwh + self.shortfall_kwh
        return self.minutes >= DEEP_MIN and self.shortfall_kwh >= max(MISSED_SHARE * expected, WORTH_KWH)

    def with_later(self, other: Entry) -> Entry:
        """Both as one: what adds up is added, level and sureness are weighed by minutes."""

        def plus(a: float | None, b: float | None) -> float | None:
            return None if a is None or b is None else a + b

        minutes = self.minutes + other.minutes
        share = other.minutes / minutes if minutes else 0.0
        return self.model_copy(
            update={
                "end_s": other.end_s,
                "minutes": minutes,
                "level_kw": self.level_kw + share * (other.level_kw - self.level_kw),
                "energy_kwh": self.energy_kwh + other.energy_kwh,
                "shortfall_kwh": self.shortfall_kwh + other.shortfall_kwh,
                "headroom_kwh": plus(self.headroom_kwh, other.headroom_kwh),
                "minutes_cost": plus(self.minutes_cost, other.minutes_cost),
                "confidence": self.confidence + share * (other.confidence - self.confidence),
                "evidence": tuple(dict.fromkeys((*self.evidence, *other.evidence)))[:_MOST_EVIDENCE],
                "also": tuple(dict.fromkeys((*self.also, *other.also))),
                "to_soc": other.to_soc,
            }
        )


@dataclass(frozen=True)
class Ledger:
    """expected_kw: the one expected course at times time_s, both shape (k,); expected_words: what it is.

    ramp_end_s: when power first reached its level, None where it never ramps.
    """

    entries: tuple[Entry, ...]
    time_s: Floats
    power_kw: Floats
    expected_kw: Floats
    expected_kwh: float
    energy_kwh: float
    expected_words: str
    ramp_end_s: float | None


def keep_ledger(
    record: PowerRecord,
    context: Context | None = None,
    neighbours: Sequence[float] = (),
) -> Ledger | None:
    """The ledger of a record, None where power was hardly read or never flowed.

    neighbours: moments at which somebody else plugged in or left.
    """
    record = completed(record)
    context = context or Context()
    power = record.values.get("power_kw")
    if power is None:
        return None
    if np.isnan(np.add.reduce(power)):
        known = np.flatnonzero(np.isfinite(power))
        times, power = record.time_s[known], power[known]
    else:
        known, times = None, record.time_s
    if len(power) < 3:
        return None
    blocks = blocks_of(times, power)
    top = top_kw(blocks.power_kw)
    if top <= 0.0:
        return None
    whole = _whole(record, context, blocks, known, top, neighbours, display_step(power, top))
    pieces = pieces_of(blocks.time_s, blocks.power_kw, top, whole.step_kw)
    stretches = stretches_of(whole, pieces, partial(_step_near, times, power, whole.block_s))
    if not stretches:
        return None
    bounds = [float(times[0]), *(s.start_s for s in stretches[1:]), float(times[-1])]
    told = best_course(stretches)
    expected, words = expected_course(whole, stretches, told)
    ramp_end = next((b for s, b in zip(stretches, bounds[1:], strict=True) if s.course == "ramp"), None)
    return _written(record, whole, stretches, told, bounds, expected, words, ramp_end)


def _whole(
    record: PowerRecord,
    context: Context,
    blocks: Blocks,
    known: Ints | None,
    top: float,
    neighbours: Sequence[float],
    step_kw: float,
) -> Whole:
    read = {"power_kw": blocks.power_kw}
    for key in _ALSO_READ:
        found = record.values.get(key)
        if found is not None:
            means = blocks.mean(found if known is None else _carried(record, key, known))
            if not np.isnan(means).all():
                read[key] = means
    later = np.maximum.accumulate(blocks.power_kw[::-1])[::-1]
    later = np.append(later[1:], 0.0)
    at, soc = record.at_readings("soc_percent")
    steps = at[np.flatnonzero(soc[1:] > soc[:-1]) + 1]
    caps = [] if context.is_empty else caps_at(context, _at(context, blocks, read))
    # Where power flows, the post's volts do not forbid it, whatever the labels say.
    caps = [(cap, kw) for cap, kw in caps if cap.limiter != "evse_voltage"]
    every = float(record.time_s[-1] - record.time_s[0]) / max(len(record.time_s) - 1, 1)
    rounded = {key: resolution(record.values[key]) for key in ("amps_a", "power_kw") if key in record.values}
    return Whole(blocks, top, context, read, caps, later, steps, neighbours, every, step_kw, rounded)


def _carried(record: PowerRecord, key: str, known: Ints) -> Floats:
    """A quantity at the readings of power: as read then, else straight between its own readings, never beyond them."""
    times, values = record.at_readings(key)
    if not len(times):
        return np.full(len(known), np.nan)
    carried: Floats = np.interp(record.time_s[known], times, values, left=np.nan, right=np.nan)
    return carried


def _at(context: Context, blocks: Blocks, read: dict[str, Floats]) -> At:
    soc = read.get("soc_percent")
    volts = read.get("volts_v")
    if context.is_ac or volts is None:
        volts = connector_v(context, soc if soc is not None else 50.0, blocks.power_kw)
    flows = np.flatnonzero(blocks.power_kw > 0.1)
    elapsed = blocks.time_s - blocks.time_s[flows[0] if len(flows) else 0]
    steps = np.diff(blocks.time_s, prepend=blocks.time_s[0])
    pack = read.get("pack_c")
    return At(
        volts,
        soc if soc is not None else 50.0,
        elapsed,
        pack if pack is not None else context.pack_c,
        np.cumsum(blocks.power_kw * steps) / 3600.0,
    )


def _step_near(times: Floats, power: Floats, block_s: float, at: float) -> float:
    """The moment of the largest step between two readings near a time."""
    near = slice(*np.searchsorted(times, (at - 3.0 * block_s, at + 3.0 * block_s)))
    jumps = np.abs(np.diff(power[near]))
    return float(times[near][int(jumps.argmax()) + 1]) if len(jumps) else at


class _Span(NamedTuple):
    """A stretch, or a share of it before or after a gap; a gap has no stretch."""

    start_s: float
    end_s: float
    share: float
    stretch: Stretch | None
    told: Told


def _known_steps(times: Floats, joints: Sequence[float]) -> Floats:
    """Seconds between neighbouring blocks, shape (k - 1,); 0 over a gap and over the pause between two runs that were joined,
    about which nothing is claimed."""
    steps = np.diff(times)
    steps[gaps(times)] = 0.0
    for joint in joints:
        steps[int(np.clip(np.searchsorted(times, joint) - 1, 0, len(steps) - 1))] = 0.0
    return steps


def _spans(
    stretches: Sequence[Stretch],
    told: Sequence[Told],
    bounds: Sequence[float],
    raw_times: Floats,
    joints: Sequence[float],
) -> list[_Span]:
    """Every stretch between its bounds, cut where nothing was read for long."""
    quiet = {(float(raw_times[g]), float(raw_times[g + 1])): _NOT_READ for g in gaps(raw_times)}
    for joint in joints:
        after = int(np.clip(np.searchsorted(raw_times, joint), 1, len(raw_times) - 1))
        if raw_times[after] - raw_times[after - 1] > _BRIEF_S:
            quiet[float(raw_times[after - 1]), float(raw_times[after])] = _BETWEEN
    spans: list[_Span] = []
    for s, t, start, end in zip(stretches, told, bounds[:-1], bounds[1:], strict=True):
        if end <= start:
            continue
        cut = [span for span, told in sorted(quiet.items()) if told is _BETWEEN or t.limiter != "none"]
        inside = [(a, b, max(a, start), min(b, end)) for a, b in cut if a < end and b > start]
        read = (end - start) - sum(till - since for _, _, since, till in inside)
        at = start
        for a, b, since, till in inside:
            told_of = quiet[a, b]
            ends = told_of is _BETWEEN and t.limiter == "stop_fault"
            if since > at:
                later = f"the next begins {(b - a) / 60.0:.1f} min later"
                so_ends = f"Power falls from {s.before_kw:.1f} kW to nothing, and so that recording ends; {later}."
                spans.append(_Span(at, since, (since - at) / read, s, t._replace(why=(so_ends,)) if ends else t))
            why = told_of.why[0].format(minutes=(b - a) / 60.0)
            spans.append(_Span(since, till, 0.0, None, told_of._replace(why=(why,))))
            at = till
            # What follows the pause is the next recording's own beginning.
            t = _NOT_YET if ends else t
        if end > at:
            spans.append(_Span(at, end, (end - at) / read, s, t))
    return spans


def _written(
    record: PowerRecord,
    whole: Whole,
    stretches: Sequence[Stretch],
    told: Sequence[Told],
    bounds: Sequence[float],
    expected: Floats,
    words: str,
    ramp_end: float | None,
) -> Ledger:
    times, power = whole.blocks.time_s, whole.blocks.power_kw
    raw_times, total = energy_so_far(record)
    known = _known_steps(times, record.joints)
    hoped_at = np.zeros(len(times))
    np.cumsum((expected[1:] + expected[:-1]) * known * (0.5 / 3600.0), out=hoped_at[1:])
    soc = whole.read.get("soc_percent")
    caps = [*whole.caps, *_said_caps(whole)]
    entries: list[Entry] = []
    spans = _spans(stretches, told, bounds, raw_times, record.joints)
    marks = [span.start_s for span in spans] + [spans[-1].end_s]
    energy, hoped = np.interp(marks, raw_times, total), np.interp(marks, times, hoped_at)
    socs = None if soc is None else np.interp(marks, times, soc)
    for i, (start, end, share, s, (limiter, sure, why, also)) in enumerate(spans):
        headroom, cost = _without(whole, s, caps, {limiter, *also}, limiter, expected, known) if s else (None, None)
        got = float(energy[i + 1] - energy[i])
        entry = Entry(
            limiter=limiter,
            also=also,
            start_s=start,
            end_s=end,
            minutes=(end - start) / 60.0,
            level_kw=got * 3600.0 / (end - start),
            energy_kwh=got,
            shortfall_kwh=float(hoped[i + 1] - hoped[i]) - got,
            headroom_kwh=None if headroom is None else headroom * share,
            minutes_cost=None if cost is None else cost * share,
            confidence=sure,
            evidence=why,
            from_soc=None if socs is None or np.isnan(socs[i]) else float(socs[i]),
            to_soc=None if socs is None or np.isnan(socs[i + 1]) else float(socs[i + 1]),
        )
        _add(entries, entry)
    return Ledger(
        entries=tuple(entries),
        time_s=times,
        power_kw=power,
        expected_kw=expected,
        expected_kwh=float(hoped[-1] - hoped[0]),
        energy_kwh=float(energy[-1] - energy[0]),
        expected_words=words,
        ramp_end_s=ramp_end,
    )


def _without(
    whole: Whole,
    s: Stretch,
    caps: Sequence[tuple[Cap, Floats]],
    these: set[LimiterKey],
    limiter: LimiterKey,
    expected: Floats,
    known: Floats,
) -> tuple[float | None, float | None]:
    """(kWh more, minutes sooner) had this limiter alone been absent; None where nothing known would have held then."""
    if limiter == "none":
        return None, None
    inside = slice(s.first, s.last + 1)
    power = whole.blocks.power_kw[inside]
    if not caps and limiter != "ramp" and BY_KEY[limiter].usual:
        return None, None
    least = np.full(len(power), np.inf)
    for cap, kw in caps:
        if cap.limiter not in these and (cap.limiter != "vehicle_taper" or whole.context.vehicle_curve):
            part = kw if len(kw) == 1 else kw[inside]
            least = np.minimum(least, np.where(np.isnan(part), np.inf, part))
    if not np.isfinite(least).all():
        if limiter != "ramp" and BY_KEY[limiter].usual:
            return None, None
        least = np.minimum(least, expected[inside])
    least = np.maximum(least, power)
    if s.last <= s.first:
        return 0.0, 0.0
    steps = known[s.first : s.last]
    more = (least - power)[:-1]
    with np.errstate(divide="ignore", invalid="ignore"):
        saved = np.where(least[:-1] > 0, more / least[:-1], 0.0)
    return float((more * steps).sum() / 3600.0), float((saved * steps).sum() / 60.0)


def _said_caps(whole: Whole) -> list[tuple[Cap, Floats]]:
    """What vehicle and post said they ask and allow, as limits in kW."""
    found: list[tuple[Cap, Floats]] = []
    volts = whole.read.get("volts_v")
    for key, limiter in _SAID:
        limit = whole.read.get(key)
        if limit is None or (key.endswith("_a") and volts is None):
            continue
        kw = limit * volts * 1e-3 if key.endswith("_a") and volts is not None else limit
        found.append((Cap(limiter, "", lambda c, at: None, lambda c: ""), kw))
    return found


_SAID: tuple[tuple[str, LimiterKey], ...] = (
    ("asked_a", "vehicle_taper"), ("asked_kw", "vehicle_taper"), ("post_max_a", "evse_current"),
    ("post_max_kw", "evse_power"),
)  # fmt: skip


def _add(entries: list[Entry], entry: Entry) -> None:
    """Neighbours of one limiter are one entry, unless each could be something else than the other."""
    last = entries[-1] if entries else None
    apart = last is not None and not (set(last.also) <= set(entry.also) or set(entry.also) <= set(last.also))
    if last is None or last.limiter != entry.limiter or apart:
        entries.append(entry)
    else:
        entries[-1] = last.with_later(entry)
