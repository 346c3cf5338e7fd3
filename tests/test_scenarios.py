"""The truth of every scenario is told: its finding, the stage it breaks, the outcome, and the cause that leads."""

from __future__ import annotations

import numpy as np
import pytest

from gladwire.core.diagnosis.causes import CAUSES
from gladwire.core.rulebook import BY_CODE
from gladwire.core.scene.spine import AC_SPINE, DC_SPINE
from gladwire.core.signal.waveform import Recording
from gladwire.scenarios.all import SCENARIOS
from gladwire.scenarios.scenario import Scenario
from tests.build import take


@pytest.mark.parametrize("scenario", SCENARIOS, ids=lambda s: s.key)
def test_the_truth_is_told(scenario: Scenario) -> None:
    truth, analysis = scenario.truth, take(scenario.makes()).analysis
    assert truth.finding in {f.code for f in analysis.findings}
    assert [s.stage for s in analysis.stages if s.state == "failed"] == ([truth.stage] if truth.stage else [])
    assert analysis.outcome == truth.outcome
    if truth.cause:
        assert analysis.causes[0].code == truth.cause


def test_scenarios_are_declared_whole_and_once() -> None:
    assert len({s.key for s in SCENARIOS}) == len(SCENARIOS)
    for scenario in SCENARIOS:
        assert scenario.truth.finding in BY_CODE
        assert scenario.truth.stage in ("", *(stage.key for stage in (*AC_SPINE, *DC_SPINE)))
        assert scenario.truth.cause in ("", *(c.code for c in CAUSES))


def test_a_scenario_makes_the_same_capture_each_time() -> None:
    for scenario in (SCENARIOS[0], SCENARIOS[-1]):
        first, again = scenario.makes(), scenario.makes()
        if isinstance(first, Recording):
            assert isinstance(again, Recording)
            np.testing.assert_array_equal(first.channels[0].samples, again.channels[0].samples)
        else:
            assert first == again
