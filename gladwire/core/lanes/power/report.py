"""What a power record tells, whole: energy, windows, the ledger, and whether that is normal or derated, and by whom."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.power.ledger import Entry, Ledger, keep_ledger
from gladwire.core.lanes.power.over_rating import Exceeded, exceeded
from gladwire.core.lanes.power.record import PowerRecord, completed, energy_kwh
from gladwire.core.lanes.power.sources import Compared, compare_sources
from gladwire.core.lanes.power.windows import Window, soc_course, ten_percent_pairs
from gladwire.core.lanes.records import Record
from gladwire.core.moments import Duration, Moment
from gladwire.core.power.chain import Context, Nameplate, nameplate
from gladwire.core.power.limiters import BY_KEY, By, LimiterKey
from gladwire.core.quantities import PLACE_WORDS, Place
from gladwire.core.signal.waveform import Bools, Floats

PowerVerdict = Literal["normal", "derated", "interrupted", "unknown"]
# Less than this of the expected energy is not worth a word; a rating missed by more than this is.
_LOST_SHARE, _MISSED_SHARE = 0.03, 0.08
_LEAST_S = 120.0
_UNSURE_SHARE = 0.5
# Measured over what ratings allow, by more than displays differ.
_CONTRADICTS = 1.05
# What reaches this share of the level before is back.
_BACK = 0.9
# Less sure than this, nobody is named.
_SURE_ENOUGH = 0.5


class Curve(BaseModel):
    """The record in a few hundred points for drawings. Every tuple has one value a point; None where nothing was read."""

    model_config = ConfigDict(frozen=True)

    since_start_s: tuple[Duration, ...] = ()
    power_kw: tuple[float | None, ...] = ()
    expected_kw: tuple[float | None, ...] = ()
    others: Mapping[str, tuple[float | None, ...]] = {}


class PowerReport(Record):
    """Times in seconds of the record; energies in kWh, powers in kW. entries follow each other without a break.

    compared: what the same file holds of a second place, against this. notes: what was joined, and how.
    flowing_minutes: while power flowed; average_kw: over these. by: who holds it back, "none" where that is as it should
    be. decides: what would settle an open verdict.
    """

    lane: ClassVar[str] = "power"

    samples: int
    source: Place
    places: Mapping[str, Place]
    derived: tuple[str, ...]
    energy_kwh: float
    peak_kw: float
    average_kw: float
    flowing_minutes: float
    start_soc: float | None = None
    end_soc: float | None = None
    volts: tuple[float, float] | None = None
    windows: tuple[Window, ...] = ()
    entries: tuple[Entry, ...] = ()
    exceeded: tuple[Exceeded, ...] = ()
    expected_kwh: float = 0.0
    expected_words: str = ""
    ramp_ends_at_s: Moment | None = None
    verdict: PowerVerdict = "unknown"
    by: By = "unknown"
    sure: float = 0.0
    text: str = ""
    decides: str = ""
    label: str = ""
    context: Context = Context()
    curve: Curve = Curve()
    compared: Compared | None = None
    notes: tuple[str, ...] = ()

    @property
    def shortfall_kwh(self) -> float:
        return sum(e.shortfall_kwh for e in self.entries)

    @property
    def unexplained_kwh(self) -> float:
        """The part of the shortfall nothing explains; never used to make sums fit."""
        return sum(e.shortfall_kwh for e in self.of("unexplained"))

    def of(self, *limiters: LimiterKey) -> tuple[Entry, ...]:
        return tuple(e for e in self.entries if e.limiter in limiters)

    @property
    def totals(self) -> tuple[Entry, ...]:
        """One entry a limiter, with what all of its times sum to; the costliest first."""
        return tuple(
            sorted(_totals(self.entries).values(), key=lambda e: (e.limiter == "none", -e.shortfall_kwh, -e.minutes))
        )


def _totals(entries: Sequence[Entry]) -> dict[LimiterKey, Entry]:
    """All times of each limiter as one entry."""
    found: dict[LimiterKey, Entry] = {}
    for e in entries:
        found[e.limiter] = found[e.limiter].with_later(e) if e.limiter in found else e
    return found


def report_of(
    record: PowerRecord,
    context: Context | None = None,
    neighbours: Sequence[float] = (),
) -> PowerReport:
    """The whole report. Raises ValueError for a record without readings of power, or of what gives it."""
    record = completed(record)
    context = context or Context()
    times, power = record.at_readings("power_kw")
    if len(times) < 2:
        raise ValueError("power was read fewer than two times, and nothing that gives it")
    ledger = keep_ledger(record, context, neighbours)
    flows = power > 0.02 * max(float(power.max()), 0.05)
    minutes = _flowing_s(times, flows) / 60.0
    energy = energy_kwh(record)
    course = soc_course(record)
    ramp_end = ledger.ramp_end_s if ledger else None
    verdict, by, sure, text, decides = _verdict(record, ledger, context, minutes)
    volts = record.get("volts_v")
    moving = volts[np.isfinite(volts) & (volts > 20)] if volts is not None else np.empty(0)
    label = nameplate(context, float(np.median(moving)) if len(moving) and not context.is_ac else None)
    return PowerReport(
        start_s=float(record.time_s[0]),
        end_s=float(record.time_s[-1]),
        samples=len(times),
        source=record.source,
        places=dict(record.places),
        derived=record.derived,
        energy_kwh=energy,
        peak_kw=float(power.max()),
        average_kw=energy * 60.0 / minutes if minutes > 0 else 0.0,
        flowing_minutes=minutes,
        start_soc=float(course.soc[0]) if len(course.soc) else None,
        end_soc=float(course.soc[-1]) if len(course.soc) else None,
        volts=(float(moving.min()), float(moving.max())) if len(moving) else None,
        windows=ten_percent_pairs(record, ramp_end),
        entries=ledger.entries if ledger else (),
        exceeded=exceeded(record, context),
        expected_kwh=ledger.expected_kwh if ledger else 0.0,
        expected_words=ledger.expected_words if ledger else "",
        ramp_ends_at_s=ramp_end,
        verdict=verdict,
        by=by,
        sure=sure,
        text=text,
        decides=decides,
        label=_label(label, float(power.max())) if label else "",
        context=context,
        curve=_curve(record, ledger),
        compared=compare_sources(record, record.second_place) if record.second_place else None,
    )


def _flowing_s(times: Floats, flows: Bools) -> float:
    steps = np.diff(times)
    return float(steps[flows[:-1] | flows[1:]].sum())


def _label(label: Nameplate, peak_kw: float) -> str:
    """What a label in kW means at this pack's volts; a measurement above what ratings allow is a contradiction, and said."""
    if peak_kw > _CONTRADICTS * label.possible_kw:
        return (
            f"{peak_kw:.0f} kW were measured, more than the {label.possible_kw:.0f} kW that the ratings known allow at "
            f"{label.volts:.0f} V: a rating entered is not what this post, cable or adapter gives, or the display reads high."
        )
    if label.possible_kw >= 0.97 * label.label_kw:
        return ""
    return (
        f"The label's {label.label_kw:.0f} kW would take {label.needed_a:.0f} A at this pack's {label.volts:.0f} V; "
        f"the ratings known allow {label.possible_kw:.0f} kW there."
    )


def _verdict(
    record: PowerRecord, ledger: Ledger | None, context: Context, minutes: float
) -> tuple[PowerVerdict, By, float, str, str]:
    """(verdict, by whom, how sure, in a sentence, what would decide it)."""
    if ledger is None or minutes * 60.0 < _LEAST_S:
        text = f"Power flows for {minutes:.1f} min; too short to judge." if ledger else "No power flows in this record."
        return "unknown", "unknown", 0.3, text, "A record of several minutes."
    stops = [e for e in ledger.entries if e.limiter == "stop_fault"]
    if stops:
        stop = max(stops, key=lambda e: e.confidence)
        after = "" if len(stops) == 1 else f", {len(stops)} times in all"
        text = f"{stop.evidence[0][:-1]}{after}. The record does not say whether somebody wished it."
        return (
            "interrupted",
            "unknown",
            stop.confidence,
            text,
            "The post's stored codes, or pilot and frames captured beside.",
        )
    worst = _worst(ledger)
    if worst:
        limiter, lost, entry = worst
        title = BY_KEY[limiter].title
        share = 100.0 * lost / max(ledger.expected_kwh, 1e-9)
        cost = f", {entry.minutes_cost:.1f} min" if entry.minutes_cost else ""
        text = (
            f"{title} held it back for {entry.minutes:.1f} min, at {entry.level_kw:.0f} kW: "
            f"{lost:.1f} kWh less than expected ({share:.0f} %){cost}."
        )
        if entry.confidence >= _SURE_ENOUGH:
            return "derated", BY_KEY[limiter].by, entry.confidence, text, _decides(limiter)
        others = ", ".join(BY_KEY[k].title.lower() for k in entry.also)
        text = f"{text} It could as well be: {others}." if others else text
        if "vehicle_taper" in entry.also:
            return "unknown", "unknown", entry.confidence, text, _decides(limiter)
        return "derated", "unknown", entry.confidence, text, _decides(limiter)
    dips = _unexplained_dips(ledger)
    lost = sum(e.shortfall_kwh for e in dips)
    if dips and lost >= _LOST_SHARE * ledger.expected_kwh:
        could = ", ".join(dict.fromkeys(BY_KEY[key].title.lower() for e in dips for key in e.also))
        text = (
            f"Power sinks for {sum(e.minutes for e in dips):.0f} min and comes back: {lost:.1f} kWh less than expected. "
            f"Nothing that was read explains it{f'; it could be: {could}' if could else ''}."
        )
        return "derated", "unknown", 0.4, text, "Temperatures of connector and pack, and who else charged then."
    unsure = sum(e.minutes for e in ledger.entries if e.limiter == "unexplained")
    # Where nothing was read nothing is missing.
    missing = sum(e.shortfall_kwh for e in ledger.entries if e.limiter == "unexplained" and e.energy_kwh > 0.0)
    if unsure > _UNSURE_SHARE * minutes or missing >= _MISSED_SHARE * max(ledger.expected_kwh, 0.1):
        text = f"What held it back for {unsure:.0f} of {minutes:.0f} min is not explained by what was read."
        return "unknown", "unknown", 0.4, text, "Ratings of post and vehicle, or volts and amperes beside the power."
    held = _longest(ledger)
    text = f"As it should be: {_as_it_is(held)}" if held else "Nothing cost it much."
    sure = 0.8 if not context.is_empty else 0.55
    decides = (
        "" if not context.is_empty else "Ratings of vehicle and post would tell whether its level is what they can do."
    )
    return "normal", "none", sure, text, decides


def _worst(ledger: Ledger) -> tuple[LimiterKey, float, Entry] | None:
    """The limiter that cost most beyond what is usual: (limiter, kWh, all its times as one entry)."""
    hits = []
    for limiter, entry in _totals(ledger.entries).items():
        about = BY_KEY[limiter]
        share = entry.shortfall_kwh / max(ledger.expected_kwh, 1e-9)
        rated_missed = about.by in ("evse", "cable", "adapter") and about.usual and share >= _MISSED_SHARE
        if limiter in ("ramp", "none", "unexplained", "stop_fault"):
            continue
        if (not about.usual and (share >= _LOST_SHARE or entry.is_deep)) or rated_missed:
            hits.append((limiter, entry.shortfall_kwh, entry))
    return max(hits, key=lambda hit: hit[1], default=None)


def _unexplained_dips(ledger: Ledger) -> list[Entry]:
    """Times without an explanation below the usual level before them, which comes back after them."""
    usual = [
        (i, e.level_kw)
        for i, e in enumerate(ledger.entries)
        if e.limiter not in ("none", "ramp") and BY_KEY[e.limiter].usual
    ]
    found = []
    for i, e in enumerate(ledger.entries):
        before = next((kw for j, kw in reversed(usual) if j < i), 0.0)
        after = next((kw for j, kw in usual if j > i), 0.0)
        if e.limiter == "unexplained" and e.also and e.level_kw < _BACK * before and after >= _BACK * before:
            found.append(e)
    return found


def _longest(ledger: Ledger) -> Entry | None:
    held = (e for e in ledger.entries if e.limiter not in ("none", "ramp") and BY_KEY[e.limiter].usual)
    return max(held, key=lambda e: e.minutes, default=None)


def _as_it_is(entry: Entry) -> str:
    about = BY_KEY[entry.limiter]
    also = [BY_KEY[k].title.lower() for k in entry.also]
    named = f" (or {' or '.join(also)})" if also else ""
    return f"{about.title.lower()}{named} holds it for {entry.minutes:.0f} min, at {entry.level_kw:.0f} kW."


def _decides(limiter: LimiterKey) -> str:
    return {
        "shared_cabinet": "The same vehicle at a stall that shares with nobody, or again with the neighbour's stall empty.",
        "site_supply": "The same stall at an hour when the site is empty.",
        "cable_thermal": "The same stall with a cold cable, or another stall of the same cabinet.",
        "vehicle_hot": "The same vehicle after it has cooled.",
        "adapter": "The same vehicle at a post that needs no adapter.",
        "phase_lost": "Another lead at this post, then this lead at another post.",
        "evse_power": "The same vehicle at another stall of the same size.",
        "evse_current": "The same vehicle at another stall of the same size.",
        "cable_rating": "The same vehicle at a stall with a larger cable.",
    }.get(limiter, "One thing changed at a time: stall, post, vehicle.")


def _curve(record: PowerRecord, ledger: Ledger | None) -> Curve:
    if ledger is None:
        return Curve()
    at = ledger.time_s
    start = record.time_s[0]
    others: dict[str, tuple[float | None, ...]] = {}
    for key in record.values:
        times, values = record.at_readings(key)
        if key == "power_kw" or not len(times):
            continue
        others[key] = _points(np.interp(at, times, values, left=np.nan, right=np.nan), 2)
    return Curve(
        since_start_s=tuple(round(float(t - start), 2) for t in at),
        power_kw=_points(ledger.power_kw, 3),
        expected_kw=_points(ledger.expected_kw, 3),
        others=others,
    )


def _points(values: Floats, digits: int) -> tuple[float | None, ...]:
    return tuple(None if v != v else round(v, digits) for v in values.tolist())


def record_of(report: PowerReport) -> PowerRecord:
    """The record again, in the points of its curve, which are means and keep its energy; times as in the report."""
    curve = report.curve
    values = {"power_kw": curve.power_kw, **curve.others}
    return PowerRecord(
        report.start_s + np.array(curve.since_start_s),
        {key: np.array([np.nan if v is None else v for v in points]) for key, points in values.items()},
        dict(report.places),
    )


def words_of_source(report: PowerReport) -> str:
    return PLACE_WORDS[report.source]
