"""All that is told, word for word: of records at their limits, of every scenario, of frames and power records.

What stands in the snapshots is no truth by itself: it is what was told when last somebody read it. A change of a rule shows
there as a difference of words to be read before it is taken over, with `pytest tests/core/test_told.py --snapshot-update`.
"""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

import pytest
from syrupy.assertion import SnapshotAssertion

from gladwire.core.findings import Finding
from gladwire.core.session.judgement import Judgement
from gladwire.scenarios.all import SCENARIOS
from gladwire.scenarios.scenario import Scenario
from tests.build import take
from tests.core.test_limits import CASES, Case
from tests.core.test_rules_from_captures import FRAMES, POWER, heard


def written(findings: Iterable[Finding]) -> list[str]:
    """A line for what was found and where, and one for the words."""
    return [
        line
        for f in findings
        for line in (
            f"{f.severity} {f.code} ({f.stage}) {f.start_s:.2f} to {f.end_s:.2f} s: {f.measured} | {f.expected}",
            f"    {f.text}",
        )
    ]


def judged(judgement: Judgement) -> list[str]:
    return [
        f"{judgement.outcome}: {judgement.verdict}",
        *(f"{s.stage}: {s.state}, {s.why}" for s in judgement.stages if s.state != "not_captured"),
        *(f"{100 * c.confidence:.0f} % {c.code} ({c.owner})" for c in judgement.causes),
        *written(judgement.findings),
    ]


@pytest.mark.parametrize("case", CASES, ids=lambda c: c.name)
def test_records_at_a_limit(case: Case, snapshot: SnapshotAssertion) -> None:
    hair = max(1e-6, 1e-6 * abs(case.limit))
    values = [case.limit * 0.8 - hair, case.limit - hair, case.limit, case.limit + hair, case.limit * 1.25 + hair]
    found = [written(case.rulings.found(x)) for x in values]
    told = [f"{values[0]:g}:", *found[0]]
    for (before, now), value in zip(pairwise(found), values[1:], strict=True):
        told += [f"{value:.7g}:", *(line for line in now if line not in before)]
        told += [f"  no more: {line}" for line in before if line not in now]
    assert told == snapshot


@pytest.mark.parametrize("scenario", SCENARIOS, ids=lambda s: s.key)
def test_scenarios(scenario: Scenario, snapshot: SnapshotAssertion) -> None:
    assert judged(take(scenario.makes()).analysis.judgement) == snapshot


@pytest.mark.parametrize("code", FRAMES)
def test_frames(code: str, snapshot: SnapshotAssertion) -> None:
    assert judged(heard(FRAMES[code][0]()).judgement) == snapshot


@pytest.mark.parametrize("code", POWER)
def test_power(code: str, snapshot: SnapshotAssertion) -> None:
    assert judged(POWER[code][0]().judgement) == snapshot
