"""What findings weigh as evidence: each fact once, and nothing that another fault explains.

To say that two findings are one fact: add their codes to a line. Common practice, no source.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from gladwire.core.findings import Finding, Severity

# A mere note speaks more softly than a fault. Normal facts speak fully: they are what rules a cause out.
LOUDNESS: Mapping[Severity, float] = {"normal": 1.0, "note": 0.8, "suspect": 0.9, "fault": 1.0}

ONE_FACT: tuple[frozenset[str], ...] = (
    # A level that is lifted, in however many states and words.
    frozenset({
        "series_resistance", "pilot_level_thin_margin", "pilot_level_between_states", "asked_behind_resistance",
    }),
    # A contact that opened.
    frozenset({"pilot_interrupted", "pilot_lost_while_asking", "pilot_gone_at_inlet"}),
    # A line that carries little.
    frozenset({"slac_weak", "slac_sounds_lost"}),
    # A duty that is not allowed, for sure or perhaps.
    frozenset({"duty_forbidden", "duty_at_the_edge"}),
    # A post that says it stops.
    frozenset({"post_emergency", "post_malfunction", "post_status"}),
    # A limit of the post that falls.
    frozenset({"post_lowers_limit", "offer_lowered"}),
)  # fmt: skip
_FACT_OF = {code: number for number, codes in enumerate(ONE_FACT) for code in codes}


def heard(findings: Sequence[Finding]) -> dict[str, float]:
    """How loudly each code speaks, 0 to 1, at its gravest. What follows from another fault says nothing of its own."""
    loud: dict[str, float] = {}
    for finding in findings:
        if not finding.follows:
            loud[finding.code] = max(loud.get(finding.code, 0.0), LOUDNESS[finding.severity])
    return loud


def weight(weights: Mapping[str, float], loud: Mapping[str, float]) -> float:
    """The sum of log-weights that speak, of each fact the weightiest."""
    of_fact: dict[str | int, float] = {}
    for code, full in weights.items():
        fact = _FACT_OF.get(code, code)
        of_fact[fact] = max(of_fact.get(fact, 0.0), full * loud.get(code, 0.0))
    return sum(of_fact.values())
