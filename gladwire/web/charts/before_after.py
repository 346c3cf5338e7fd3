"""Two sessions of one mode on one scale: the pilot's high side and its offer, and what flowed."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from gladwire.core.lanes.pilot.record import PilotRecord, as_one
from gladwire.core.lanes.power.report import PowerReport, record_of
from gladwire.core.scene.scene import Scene
from gladwire.core.session.compare import ANCHOR_WORDS, Anchor, anchors, common_anchors
from gladwire.web.charts.plot import Plot, Series, plot

_BEFORE, _AFTER = ("before", 1), ("after", 0)
_Values = tuple[list[float], list[float | None]]
_POWER = (("volts_v", "Volts", "V"), ("amps_a", "Amperes", "A"), ("power_kw", "Power", "kW"))
_WIDTH, _HEIGHT = 820.0, 190.0


def before_and_after_plots(before: Scene, after: Scene) -> list[Plot]:
    """Drawings of what both show, aligned at the most telling moment both have; [] where they share nothing."""
    plots = []
    pilots = [one for scene in (before, after) if (one := as_one(scene.of(PilotRecord)))]
    if len(pilots) == 2:
        anchor = common_anchors(pilots[0], pilots[1])[0]
        zeros = anchors(pilots[0])[anchor], anchors(pilots[1])[anchor]
        plots += [
            _steps(pilots, zeros, anchor, *of) for of in ((_high, "Pilot, high side", "V"), (_offer, "Offer", "A"))
        ]
    power = before.first(PowerReport), after.first(PowerReport)
    if power[0] and power[1]:
        records = record_of(power[0]), record_of(power[1])
        for key, title, unit in _POWER:
            both = [values for record in records if (values := record.values.get(key)) is not None]
            if len(both) < 2:
                continue
            series = []
            for (name, style), record, values in zip((_BEFORE, _AFTER), records, both, strict=True):
                xs = ((record.time_s - record.time_s[0]) / 60.0).tolist()
                series.append(Series(name, xs, [None if math.isnan(v) else float(v) for v in values], style))
            plots.append(plot(title, "minutes of the record", unit, series, _WIDTH, _HEIGHT))
    return [p for p in plots if p]


def _steps(
    pilots: Sequence[PilotRecord],
    zeros: tuple[float, float],
    anchor: Anchor,
    values: Callable[[PilotRecord, float], _Values],
    title: str,
    unit: str,
) -> Plot | None:
    drawn = []
    for (name, style), pilot, zero in zip((_BEFORE, _AFTER), pilots, zeros, strict=True):
        series = Series(name, *values(pilot, zero), style)
        drawn += [series] if any(y is not None for y in series.ys) else []
    return plot(title, f"seconds from {ANCHOR_WORDS[anchor]}", unit, drawn, _WIDTH, _HEIGHT)


def _high(pilot: PilotRecord, zero: float) -> _Values:
    return _held(pilot, zero, [s.high_v for s in pilot.segments])


def _offer(pilot: PilotRecord, zero: float) -> _Values:
    """None where nothing is offered."""
    return _held(pilot, zero, [s.advertised_current_a for s in pilot.segments])


def _held(pilot: PilotRecord, zero: float, values: Sequence[float | None]) -> _Values:
    """Each value through its segment."""
    xs = [at - zero for s in pilot.segments for at in (s.start_s, s.end_s)]
    return xs, [value for value in values for _ in range(2)]
