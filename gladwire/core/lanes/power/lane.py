"""The declaration of a power record: how it is joined, judged and told."""

from __future__ import annotations

from collections.abc import Sequence

from gladwire.core.lanes.lane import ChannelRole, Lane
from gladwire.core.lanes.power.joined import joined
from gladwire.core.lanes.power.judges import JUDGES, begun, story
from gladwire.core.lanes.power.ledger import Entry
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.lanes.power.rules import RULES
from gladwire.core.power.limiters import BY_KEY as LIMITERS


def _joined(reports: Sequence[PowerReport]) -> tuple[PowerReport, ...]:
    """One, parts spliced."""
    one = joined(reports)
    return (one,) if one else ()


def _lines(report: PowerReport) -> list[str]:
    rows = [_line(e) for e in report.entries]
    return [f"Power, {report.verdict}", *rows, f"  expected {report.expected_kwh:.2f} kWh: {report.expected_words}"]


def _line(e: Entry) -> str:
    cost = f"{e.minutes_cost:6.1f} min" if e.minutes_cost is not None else ""
    title = " / ".join(LIMITERS[key].title for key in (e.limiter, *e.also[:1]))
    return (
        f"  {e.start_s:8.0f} to {e.end_s:8.0f} s  {title:<34} {e.level_kw:7.1f} kW  "
        f"{e.shortfall_kwh:7.2f} kWh short  {cost}"
    )


LANE = Lane(
    key="power",
    title="Power",
    record=PowerReport,
    rules=RULES,
    subjects=lambda records: records.of(PowerReport),
    roles=(ChannelRole("power", "power record", ""),),
    join=_joined,
    judges=JUDGES,
    story=story,
    tells=4,
    begun=begun,
    lines=_lines,
    # The power panel shows all but kW.
    folded=lambda records, name, unit: unit != "kW",
)
