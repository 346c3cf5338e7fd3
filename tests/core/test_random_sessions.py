"""Sessions drawn at random through scopes drawn at random: every state in order, and the reading that was spoilt."""

from __future__ import annotations

import numpy as np
import pytest

from gladwire.core.simulate.circuit import Branch, PilotCircuit
from gladwire.core.simulate.script import PilotScript, Scope
from tests.build import analyse, labels, recording

BRANCHES: dict[str, Branch] = {"A": "none", "B": "waiting", "C": "asking", "D": "ventilated"}


def drawn(rng: np.random.Generator) -> tuple[PilotScript, list[str]]:
    """(a session that may begin and end anywhere, the states it goes through)."""
    circuit = PilotCircuit(
        source_high_v=rng.uniform(11.7, 12.3),
        source_low_v=-rng.uniform(11.7, 12.3),
        series_ohm=rng.choice([0, 0, 60, 120]),
        capacitance_f=rng.choice([0.5e-9, 1.5e-9, 3e-9]),
    )
    duty, hz = float(rng.choice([10, 16.7, 26.7, 50, 53.3, 83, 90])), rng.uniform(996, 1004)
    states = [*["A1", "B1", "B2"][rng.integers(0, 4) :], "C2"]
    if rng.random() < 0.3:
        states += ["B2", "C2"]
    if rng.random() < 0.2:
        states += ["D2"]
    if rng.random() < 0.6:
        states += ["B2", "B1", "A1"][: rng.integers(1, 4)]
    script = PilotScript()
    for state in states:
        share = duty if state[1] == "2" else None
        script.circuit(circuit, BRANCHES[state[0]], rng.uniform(60, 500), share, hz)
    return script, states


@pytest.mark.parametrize("seed", range(60))
def test_every_state_is_read_in_order(seed: int) -> None:
    rng = np.random.default_rng(1000 + seed)
    script, states = drawn(rng)
    factor = float(rng.choice([1, 1, 1, 0.1, 0.01, 10])) * (-1 if rng.random() < 0.2 else 1)
    offset = float(rng.choice([0, 0, 0.2, -0.3, 1.0, -1.0]))
    scope = Scope(
        noise_v=rng.choice([0.01, 0.05, 0.1, 0.2]),
        hum_v=rng.choice([0, 0, 0.2]),
        offset_v=offset,
        factor=factor,
        bits=int(rng.choice([8, 10, 12])),
        range_v=abs(factor) * rng.choice([16, 20, 25]),
        ringing_v=rng.choice([0, 0, 2]),
        burst_v=rng.choice([0, 0, 0.5]),
    )
    rate_hz = float(rng.choice([48e3, 96e3, 125e3, 250e3, 1e6]))
    analysis = analyse(recording(script.record(rate_hz, scope, seed, rng.random() / rate_hz)))
    assert labels(analysis) == states
    assert analysis.pilot.interpretation.correction.scale * factor == pytest.approx(1)
