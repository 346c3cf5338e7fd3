"""All that is told, word for word: of records at their limits, of every scenario, of frames and power records.

What stands in the snapshots is no truth by itself: it is what was told when last somebody read it. A change of a rule shows
there as a difference of words to be read before it is taken over, with `pytest tests/core/test_told.py --snapshot-update`.
"""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import pytest
from syrupy.assertion import SnapshotAssertion

from gladwire.core.plc.keylog import read_keylog
from gladwire.core.supplements import Supplements
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options
from gladwire.formats.registry import read_capture
from gladwire.scenarios.all import SCENARIOS
from gladwire.scenarios.scenario import Scenario
from tests.build import take
from tests.core.test_limits import CASES, Case
from tests.core.test_rules_from_captures import FRAMES, POWER, SESSIONS, heard
from tests.told import judged, written


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


@pytest.mark.parametrize("path", sorted(SESSIONS.glob("*.pcap*")), ids=lambda p: p.stem)
def test_sessions_of_stacks_that_are_not_ours(path: Path, snapshot: SnapshotAssertion) -> None:
    capture, keys = read_capture(Source(path), Options()), path.with_suffix(".keys")
    assert judged(take(capture).analysis.judgement) == snapshot
    if keys.exists():
        opened = take(capture, None, Supplements(read_keylog(keys.read_text())))
        assert judged(opened.analysis.judgement) == snapshot


@pytest.mark.parametrize("code", POWER)
def test_power(code: str, snapshot: SnapshotAssertion) -> None:
    assert judged(POWER[code][0]().judgement) == snapshot
