"""Two captures laid over each other: what differs is named, what two healthy ones differ by is not."""

from __future__ import annotations

import pytest

from gladwire.core.session.compare import Difference, common_anchors, compare, shared_channels
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.simulate.circuit import PilotCircuit
from gladwire.core.simulate.script import Scope
from tests.build import QUIET, analyse, analysed, pilot, session

RATE = 250e3


def differing(circuit: PilotCircuit, duty: float = 26.7) -> dict[tuple[str, str], Difference]:
    good, other = analysed(session(asking_ms=900), RATE), analysed(session(circuit, duty, 900), RATE, seed=2)
    return {(d.where, d.what): d for d in compare(good, other) if d.differs}


def test_two_healthy_ones_differ_in_nothing() -> None:
    assert differing(PilotCircuit()) == {}
    noisier = analysed(session(asking_ms=900), 120e3, Scope(noise_v=0.12, bits=8), 5)
    assert [d.text for d in compare(analysed(session(asking_ms=900), RATE), noisier) if d.differs] == []


def test_a_corroded_contact_is_named_with_its_ohms() -> None:
    found = differing(PilotCircuit(series_ohm=220.0))
    assert ("C2", "high side") in found
    assert "220 Ω more in the CP or PE path of the second" in found["C2", "high side"].text


def test_a_wet_lead_is_named_with_its_capacitance() -> None:
    rate = 1e6  # quick edges have to be resolved on both sides
    good = analysed(session(asking_ms=300), rate)
    other = analysed(session(PilotCircuit(capacitance_f=9e-9), asking_ms=300), rate, seed=2)
    text = next(d.text for d in compare(good, other) if (d.where, d.what) == ("C2", "fall 90 to 10 %"))
    assert "nF more on the second" in text
    assert float(text.split("as ")[1].split(" nF")[0]) == pytest.approx(7.5, abs=0.7)


def test_an_edge_only_one_sampling_resolves_is_told_as_a_bound() -> None:
    found = differing(PilotCircuit(capacitance_f=9e-9))
    assert "too quick for its sampling" in found["C2", "fall 90 to 10 %"].text


def test_a_shorted_diode_and_another_offer_are_named() -> None:
    found = differing(PilotCircuit(diode_shorted=True), 40.0)
    assert "conducts both ways" in found["C2", "low side"].text
    assert "16.0 A offered against 24.0 A" in found["C2", "duty"].text


def test_a_stage_only_one_shows_and_a_longer_wait_are_named() -> None:
    good = analysed(session(asking_ms=900), 50e3)
    waits = pilot().hold(12, 300).hold(9, 4000).pwm(9, 26.7, 3000)
    other = analysed(waits, 50e3)
    texts = [d.text for d in compare(good, other) if d.differs]
    assert "Only the first shows C2, for 900 ms." in texts
    assert any(t.startswith("Plug-in to offer: after 400 ms in the first, after 4.0 s in the second") for t in texts)
    assert good.pilot is not None
    assert other.pilot is not None
    assert common_anchors(good.pilot, other.pilot) == ("offer", "plug_in", "start")


def test_channels_are_paired_by_role_and_pilots_are_needed() -> None:
    wave = session(asking_ms=900).record(20e3, QUIET, 1)
    current = Waveform("Lock current", wave.samples * 0, 20e3, 0.0, "A")
    one = analyse(Recording((current, wave), "t"))
    other = analyse(Recording((wave, current), "t"))
    assert list(shared_channels(one, other)) == [(1, 0), (0, 1)]
    none = analyse(Recording((current,), "t"))
    with pytest.raises(ValueError, match="pilot"):
        compare(one, none)
