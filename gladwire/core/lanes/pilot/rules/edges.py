"""Edges slower than a pilot's, and the capacitance that would make them so."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.calculations.pilot_circuit import capacitance_nf
from gladwire.core.findings import Fact, Needs, Rule
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.pilot.rules.levels import longest_per_state
from gladwire.core.standards.pilot_timing import CAPACITANCE_MAX_NF, EDGES_SOURCE, FALL_MAX_US, RISE_MAX_US


def _slow_edges(record: PilotRecord) -> Iterator[Fact]:
    slow = []
    # An edge of few samples begins and ends somewhere between two of them.
    doubt_us = 1e6 / record.rate_hz if record.rate_hz else 0.0
    for s in longest_per_state(record):
        rise_limit = RISE_MAX_US.get(s.state)
        slow_rise = rise_limit is not None and s.rise_us is not None and s.rise_us - doubt_us > rise_limit
        if (s.fall_us is not None and s.fall_us - doubt_us > FALL_MAX_US) or slow_rise:
            slow.append(s)
    if not slow:
        return
    worst = max(slow, key=lambda s: max(s.fall_us or 0.0, s.rise_us or 0.0))
    measured = f"rise {worst.rise_us:.1f} µs, " if worst.rise_us else ""
    measured += f"fall {worst.fall_us:.1f} µs" if worst.fall_us else "fall not resolved"
    text = f"Edges are slow in {worst.label}: {measured}."
    if worst.fall_us:
        text += (
            f" About {capacitance_nf(worst.fall_us):.2g} nF on the pilot would do that (the chain may have "
            f"{CAPACITANCE_MAX_NF.amount}): a long or wet cable, an added filter, or the probe's own lead."
        )
    limit = f"{RISE_MAX_US.get(worst.state, RISE_MAX_US['B']).says}, {FALL_MAX_US.says}"
    yield Fact("suspect", text, worst.start_s, worst.end_s, measured, limit)


RULES: tuple[Rule[PilotRecord], ...] = (
    Rule(
        "slow_edges",
        "offer",
        EDGES_SOURCE,
        "edges slower than allowed",
        _slow_edges,
        favours_well=-3.0,
        needs=Needs(rate_hz=200e3),
    ),
)
