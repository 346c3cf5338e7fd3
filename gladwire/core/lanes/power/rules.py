"""Findings of a power record: what flowed, what held it back, and what that says of post, vehicle and site."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from gladwire.core.findings import Fact, Needs, Rule, Severity
from gladwire.core.lanes.power.ledger import Entry
from gladwire.core.lanes.power.report import PowerReport, words_of_source
from gladwire.core.power.limiters import BY_KEY, By, LimiterKey
from gladwire.core.standards.practice import ENTRY_MIN, MISSED_SHARE, SLOW_RAMP_S, WORTH_KWH, WORTH_SHARE
from gladwire.core.standards.source import MEASUREMENT, PRACTICE


def _flows(report: PowerReport) -> Iterator[Fact]:
    if report.energy_kwh <= 0:
        return
    soc = ""
    if report.start_soc is not None and report.end_soc is not None:
        soc = f" from {report.start_soc:.0f} to {report.end_soc:.0f} %"
    text = (
        f"{report.energy_kwh:.1f} kWh in {report.flowing_minutes:.0f} min{soc}, {words_of_source(report)}: "
        f"{report.average_kw:.1f} kW on average, {report.peak_kw:.1f} kW at the peak."
    )
    yield Fact("normal", text, report.start_s, report.end_s, f"{report.energy_kwh:.1f} kWh")


def _slow_ramp(report: PowerReport) -> Iterator[Fact]:
    for e in report.of("ramp"):
        if (seconds := 60.0 * e.minutes) > SLOW_RAMP_S:
            yield Fact(
                "note",
                f"Power takes {seconds:.0f} s to reach its level.",
                e.start_s,
                e.end_s,
                f"{seconds:.0f} s",
                "60 to 80 s usual, 120 s for trucks",
                "ramp",
            )


def _interrupted(report: PowerReport) -> Iterator[Fact]:
    for e in report.of("stop_fault"):
        returns = any(later.start_s >= e.end_s and later.energy_kwh > 0.05 for later in report.entries)
        # What ends for good where somebody may have wanted no more breaks nothing.
        weight: Severity = "fault" if returns or e.confidence >= 0.5 else "suspect"
        yield Fact(weight, e.evidence[0], e.start_s, e.end_s, "0 kW", "power until somebody stops it")


def _held(*limiters: LimiterKey, severity: Severity) -> Callable[[PowerReport], Iterator[Fact]]:
    """What these limiters held back, each entry a fact; a small one is a note."""

    def check(report: PowerReport) -> Iterator[Fact]:
        for e in report.of(*limiters):
            if e.minutes >= ENTRY_MIN and not _missed(report, e):
                yield _fact(report, e, severity)

    return check


def _fact(report: PowerReport, e: Entry, severity: Severity) -> Fact:
    about = BY_KEY[e.limiter]
    worth = e.is_deep or e.shortfall_kwh > max(WORTH_KWH, WORTH_SHARE * report.expected_kwh)
    also = f" Not told apart: {', '.join(BY_KEY[k].title.lower() for k in e.also)}." if e.also else ""
    cost = f" {e.shortfall_kwh:.1f} kWh less than expected." if worth else ""
    text = f"{about.title} for {e.minutes:.1f} min at {e.level_kw:.0f} kW. {' '.join(e.evidence[:2])}{cost}{also}"
    weight: Severity = severity if worth or severity == "normal" else "note"
    return Fact(weight, text, e.start_s, e.end_s, f"{e.level_kw:.0f} kW")


def _missed(report: PowerReport, e: Entry) -> bool:
    """Whether a level that would be usual lies clearly under what the ratings promise."""
    usual_outside = BY_KEY[e.limiter].usual and BY_KEY[e.limiter].by in ("evse", "cable")
    return usual_outside and e.shortfall_kwh > MISSED_SHARE * max(report.expected_kwh, 0.1)


def _below(by: By) -> Callable[[PowerReport], Iterator[Fact]]:
    """Levels of this owner that lie clearly under what the ratings promise."""

    def check(report: PowerReport) -> Iterator[Fact]:
        for e in report.entries:
            if BY_KEY[e.limiter].by == by and e.minutes >= ENTRY_MIN and _missed(report, e):
                yield _fact(report, e, "suspect")

    return check


def _unexplained(report: PowerReport) -> Iterator[Fact]:
    for e in report.of("unexplained"):
        if e.minutes >= 1.0 or e.shortfall_kwh > WORTH_KWH:
            share = e.shortfall_kwh / max(report.expected_kwh, 0.1)
            text = f"Unexplained for {e.minutes:.1f} min at {e.level_kw:.0f} kW. {' '.join(e.evidence[:2])}"
            yield Fact("suspect" if share > MISSED_SHARE else "note", text, e.start_s, e.end_s, f"{e.level_kw:.0f} kW")


def _label(report: PowerReport) -> Iterator[Fact]:
    if report.label:
        yield Fact("note", report.label, report.start_s, report.end_s, f"{report.peak_kw:.0f} kW at the peak")


def _over_rating(report: PowerReport) -> Iterator[Fact]:
    for e in report.exceeded:
        weight: Severity = "note" if e.allowed else "suspect"
        expected = f"up to {e.rating_a:g} A continuous"
        yield Fact(weight, e.words, e.start_s, e.end_s, f"{e.amps:.0f} A for {e.minutes:.1f} min", expected)


def _judged(report: PowerReport) -> Iterator[Fact]:
    if report.verdict == "derated" and report.by == "unknown" and not report.of("phase_lost"):
        yield Fact("suspect", report.text, report.start_s, report.end_s, f"{report.average_kw:.0f} kW on average")


RULES: tuple[Rule[PowerReport], ...] = (
    Rule(
        "power_flows",
        "hold",
        MEASUREMENT,
        "energy, time, average and peak, and where they were read",
        _flows,
        rank="held",
        needs=Needs(reached=""),
    ),
    Rule("power_ramp_slow", "ramp", PRACTICE, "a ramp longer than is usual", _slow_ramp, needs=Needs(reached="ramp")),
    Rule(
        "power_taper",
        "hold",
        PRACTICE,
        "a vehicle that asks less as it fills",
        _held("vehicle_taper", severity="normal"),
    ),
    Rule(
        "power_vehicle_limit",
        "hold",
        PRACTICE,
        "a vehicle that takes no more",
        _held("vehicle_limit", severity="normal"),
    ),
    Rule(
        "power_converter",
        "hold",
        PRACTICE,
        "a converter on board that lifts the post's volts",
        _held("vehicle_converter", severity="note"),
    ),
    Rule(
        "power_post_limit",
        "hold",
        PRACTICE,
        "the post's amperes, kW or volts used up",
        _held("evse_current", "evse_power", "evse_voltage", "cable_rating", severity="normal"),
    ),
    Rule(
        "power_below_rating",
        "hold",
        PRACTICE,
        "a post that gives less than its rating",
        _below("evse"),
        derates="suspect",
    ),
    Rule(
        "power_lead",
        "hold",
        PRACTICE,
        "a cable or lead that lets less through than post and vehicle could",
        _below("cable"),
        derates="suspect",
    ),
    Rule(
        "power_cold",
        "hold",
        PRACTICE,
        "a cold pack that takes little",
        _held("vehicle_cold", severity="note"),
        needs=Needs(series=("pack_c",)),
    ),
    Rule(
        "power_hot",
        "hold",
        PRACTICE,
        "a hot pack that asks for less",
        _held("vehicle_hot", severity="suspect"),
        derates="suspect",
        needs=Needs(series=("pack_c",)),
    ),
    Rule(
        "power_thermal",
        "hold",
        PRACTICE,
        "current folded back by a warm cable or connector",
        _held("cable_thermal", severity="suspect"),
        derates="suspect",
        needs=Needs(series=("connector_c",)),
    ),
    Rule("power_adapter", "hold", PRACTICE, "an adapter's rating", _held("adapter", severity="note")),
    Rule(
        "power_shared",
        "hold",
        PRACTICE,
        "a cabinet shared with a neighbour",
        _held("shared_cabinet", severity="suspect"),
        derates="suspect",
    ),
    Rule(
        "power_supply",
        "hold",
        PRACTICE,
        "a site's supply or buffer used up",
        _held("site_supply", severity="suspect"),
        derates="suspect",
    ),
    Rule(
        "power_phase_lost",
        "draw",
        PRACTICE,
        "one or two of three phases that carry nothing",
        _held("phase_lost", severity="suspect"),
        derates="suspect",
    ),
    Rule(
        "power_interrupted",
        "hold",
        MEASUREMENT,
        "power that falls to nothing in the middle",
        _interrupted,
        breaks=("hold",),
        yields_to=("pilot", "frames", "bus"),
    ),
    Rule("power_unexplained", "hold", MEASUREMENT, "a level nothing read explains", _unexplained),
    Rule(
        "power_slower",
        "hold",
        PRACTICE,
        "a session held back by what cannot be told for sure",
        _judged,
        derates="suspect",
    ),
    Rule(
        "power_over_rating",
        "hold",
        PRACTICE,
        "more than an adapter, cable or connector is rated for continuously",
        _over_rating,
        needs=Needs(reached=""),
    ),
    Rule(
        "power_label",
        "hold",
        PRACTICE,
        "a label in kW that no amperes reach at this pack's volts",
        _label,
        needs=Needs(reached=""),
    ),
)
