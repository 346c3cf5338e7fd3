"""Builders for test objects, fixed seeds."""

from __future__ import annotations

from gladwire.core.analysis import Analysis, analyse
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.simulate.circuit import PilotCircuit
from gladwire.core.simulate.script import PilotScript, Scope

QUIET = Scope(noise_v=0.05, bits=10)
HEALTHY = PilotCircuit()


def pilot(slew_s: float = 2e-6) -> PilotScript:
    return PilotScript(slew_s=slew_s)


def session(circuit: PilotCircuit = HEALTHY, duty: float = 26.7, asking_ms: float = 2000) -> PilotScript:
    """A whole session on one circuit: A, B, offer, asking, orderly end, unplugged."""
    script = (
        pilot().circuit(circuit, "none", 300).circuit(circuit, "waiting", 400).circuit(circuit, "waiting", 500, duty)
    )
    script.circuit(circuit, "asking", asking_ms, duty).circuit(circuit, "waiting", 300, duty)
    return script.circuit(circuit, "waiting", 200).circuit(circuit, "none", 300)


def recording(wave: Waveform) -> Recording:
    return Recording((wave,), "test")


def analysed(script: PilotScript, rate_hz: float = 103e3, scope: Scope = QUIET, seed: int = 1) -> Analysis:
    return analyse(recording(script.record(rate_hz, scope, seed)))


def labels(analysis: Analysis) -> list[str]:
    return [s.label for s in analysis.pilot.segments]


def codes(analysis: Analysis) -> set[str]:
    return {f.code for f in analysis.findings}
