"""What stands behind the contactor: lines that are dead, low or wander, and what the way to them loses."""

from __future__ import annotations

import re
from collections.abc import Iterator

from gladwire.core.findings import Fact, Needs, Rule, Severity
from gladwire.core.lanes.mains.subject import Ac
from gladwire.core.standards.practice import DIP_BEFORE_S, LINE_DEAD_S, LINE_LIVE_V
from gladwire.core.standards.source import EN_50160, IEC_60364_5_52, PRACTICE
from gladwire.core.standards.supply import DIP_SHARE, DIP_SOURCE, DROP_HOT_SHARE, DROP_SHARE, MAINS_SHARE
from gladwire.core.words import amps, seconds

# A channel that is named after neutral or earth is no line.
_NEUTRAL = re.compile(r"^(?!.*L\s?\d).*(?<![a-z])(n|neutral|pe|earth)(?![a-z])", re.IGNORECASE)


def _line_ended(ac: Ac) -> Iterator[Fact]:
    for end in ac.mains.ended:
        if not end.each or end.each[0] > LINE_LIVE_V:
            stands = " and its voltage stands: the vehicle's charger, or the line behind the probe"
            behind = stands if end.each else ""
            line = end.carried_by[0]
            text = f"{line} carries nothing more from {end.start_s:.1f} s on, while the others do{behind}."
            yield Fact("suspect", text, end.start_s, end.end_s, "0 A", "the same on all phases")


def _line_gone(ac: Ac) -> Iterator[Fact]:
    for end in ac.mains.ended:
        if end.each and end.each[0] <= LINE_LIVE_V:
            text = (
                f"{end.carried_by[0]} carries nothing more from {end.start_s:.1f} s on, and its voltage is gone too, while "
                "the others go on: a fuse, a pole of the contactor, or the feed of that phase."
            )
            yield Fact("suspect", text, end.start_s, end.end_s, "0 A, 0 V", "the same on all phases")


def _dead_line(ac: Ac) -> Iterator[Fact]:
    """One line of three without voltage while the two others stand; one alone of three may be a post of one phase."""
    for span in ac.mains.volts:
        dead = [line for line in ac.mains.lines if line not in span.carried_by and not _NEUTRAL.search(line)]
        if len(ac.mains.lines) == 3 and len(dead) == 1 and span.duration_s > LINE_DEAD_S:
            text = (
                f"{dead[0]} has no voltage while {' and '.join(span.carried_by)} stand at {span.rms:.0f} V: a pole of the "
                "contactor, a fuse, or the feed of that phase."
            )
            yield Fact("suspect", text, span.start_s, span.end_s, "2 phases", "3 phases")
            return


def _sags(ac: Ac) -> Iterator[Fact]:
    for sag in ac.mains.sags:
        if sag.share > DROP_SHARE:
            hot = sag.share > DROP_HOT_SHARE
            heat = f"{sag.loaded_a**2 * sag.ohm:.0f} W of heat there"
            text = (
                f"{sag.line} falls from {sag.idle_v:.0f} V to {sag.loaded_v:.0f} V as {amps(sag.loaded_a)} flow: "
                f"{sag.ohm:.1f} Ω before the probe, in feed, terminals or contacts; {heat}."
            )
            share = f"{100 * sag.share:.0f} % lost"
            yield Fact("suspect" if hot else "note", text, sag.start_s, sag.end_s, share, DROP_SHARE.says)


def _neutral_open(ac: Ac) -> Iterator[Fact]:
    """One line above and another below what a supply may have, at once: their common point wanders."""
    for span in ac.mains.volts:
        if len(span.each) < 2 or span.duration_s < LINE_DEAD_S:
            continue
        nominal = next((v for v in (230.0, 120.0) if 0.75 * v < sum(span.each) / len(span.each) < 1.25 * v), None)
        high, low = max(span.each), min(span.each)
        if nominal and high > (1 + MAINS_SHARE) * nominal and low < (1 - MAINS_SHARE) * nominal:
            lines = ", ".join(
                f"{name} at {v:.0f} V" for name, v in sorted(zip(span.carried_by, span.each, strict=True))
            )
            text = (
                f"{lines} to neutral at once: the neutral is open or badly made and the lines wander with their loads, or "
                "the probes' common point is not neutral. Until that is known up to the volts between two lines can stand at "
                "what is plugged in: switch off, do not try again."
            )
            yield Fact("fault", text, span.start_s, span.end_s, f"{low:.0f} to {high:.0f} V", MAINS_SHARE.says)
            return


def _dipped(ac: Ac) -> Iterator[Fact]:
    for dip in ac.mains.dips:
        ends = [s.end_s for s in (*ac.mains.amps, *ac.mains.volts)]
        before = any(-0.1 < end - dip.end_s < DIP_BEFORE_S for end in ends)
        severity: Severity = "suspect" if before else "note"
        what = "just before the session goes" if before else "and the session holds"
        text = f"Mains dips to {dip.rms:.0f} V for {seconds(dip.duration_s)} at {dip.start_s:.2f} s, {what}."
        yield Fact(severity, text, dip.start_s, dip.end_s, f"{dip.rms:.0f} V", DIP_SHARE.says)


RULES: tuple[Rule[Ac], ...] = (
    Rule(
        "supply_sags",
        "hold",
        IEC_60364_5_52,
        "volts lost on the way as current flows",
        _sags,
        favours_well=-2.0,
        needs=Needs(lanes=("mains_v", "mains_a"), reached="draw"),
    ),
    Rule(
        "neutral_open",
        "energise",
        EN_50160,
        "lines above and below their volts at once",
        _neutral_open,
        breaks=("energise",),
        charges_through=True,
        danger=True,
        needs=Needs(lanes=("mains_v",), reached="energise"),
    ),
    Rule(
        "phase_current_ended",
        "hold",
        PRACTICE,
        "a phase that carries nothing more while the others do",
        _line_ended,
        derates="suspect",
        favours_well=-3.0,
        needs=Needs(lanes=("mains_a",), reached="draw"),
    ),
    Rule(
        "phase_gone",
        "hold",
        PRACTICE,
        "a phase that goes, with its voltage, while the others stay",
        _line_gone,
        derates="suspect",
        favours_well=-3.0,
        needs=Needs(lanes=("mains_v", "mains_a"), reached="draw"),
    ),
    Rule(
        "phase_dead",
        "energise",
        PRACTICE,
        "a phase without voltage beside two that have it",
        _dead_line,
        derates="suspect",
        favours_well=-3.0,
        needs=Needs(lanes=("mains_v",), reached="energise"),
    ),
    Rule(
        "mains_dip",
        "hold",
        DIP_SOURCE,
        "a dip of the supply",
        _dipped,
        needs=Needs(lanes=("mains_v",), reached="energise"),
    ),
)
