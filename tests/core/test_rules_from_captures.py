"""Rules and causes no other test meets, each from a capture: what is found, and which cause leads for it."""

from __future__ import annotations

import datetime
import ssl
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from gladwire.core.can.names import read_names
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.plc.frames import Frame, FrameCapture
from gladwire.core.plc.keylog import read_keylog
from gladwire.core.plc.message import Message, write_message
from gladwire.core.power.chain import Context
from gladwire.core.scene.inspection import Inspection
from gladwire.core.scene.stamps import Stamp
from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Recording
from gladwire.core.simulate.can_bus import RetrofitPlan
from gladwire.core.simulate.charge import Spell
from gladwire.core.simulate.mains import mains
from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.peers20 import Post20, Vehicle20
from gladwire.core.simulate.plc.session import Plan, Stage, play
from gladwire.core.supplements import Described, Supplements
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options
from gladwire.formats.registry import read_capture
from gladwire.scenarios import bus
from gladwire.scenarios.tls_line import Authority, contexts
from tests.build import QUIET, Analysis, analyse, codes, part, pilot, take, together
from tests.core.plc.sealing import authority, hello, sealed
from tests.core.power.build import POST, played, seen

SESSIONS = Path(__file__).parents[1] / "fixtures" / "sessions"
STEP_S = 5.0


def powered(kw: np.ndarray[Any, Any], **context: Any) -> Analysis:
    times = np.arange(len(kw)) * STEP_S
    soc = np.floor(np.linspace(20.0, 60.0, len(kw)))
    record = PowerRecord(times, {"power_kw": kw, "soc_percent": soc})
    return take(record, Settled(context=Context(**context))).analysis


def level(kw: float, minutes: float = 20.0, ramp_s: float = 60.0) -> np.ndarray[Any, Any]:
    rise = np.linspace(0.0, kw, int(ramp_s / STEP_S))
    return np.concatenate([[0.0, 0.0], rise, np.full(int(60 * minutes / STEP_S), kw), [0.0, 0.0]])


def sinking() -> np.ndarray[Any, Any]:
    """A level that sinks slowly for ten minutes and is back at once."""
    kw = level(100.0, 40.0)
    kw[150:270] = np.linspace(100.0, 55.0, 120)
    return kw


def stayed(reads: str = "", **stay: Any) -> Analysis:
    """A simulated vehicle at a post, its ratings known; reads: a temperature that was logged beside."""
    course = played(POST, **stay)
    more = {reads: np.round(getattr(course, reads), 1)} if reads else {}
    known = Context(post_kw=200, post_a=300, post_v=920, vehicle_kw=130, vehicle_a=420, pack_kwh=60, pack_class_v=400)
    return take(PowerRecord(course.time_s, seen(course).values | more), Settled(context=known)).analysis


POWER: dict[str, tuple[Callable[[], Analysis], str | None]] = {
    "power_ramp_slow": (lambda: powered(level(60.0, ramp_s=240.0)), None),
    "power_adapter": (
        lambda: powered(
            level(36.0), post_kw=150, post_a=400, adapter_a_continuous=100, pack_class_v=400, vehicle_kw=120
        ),
        "adapter_limits",
    ),
    "power_converter": (
        lambda: powered(level(50.0), post_kw=150, post_a=350, post_v=500, pack_class_v=800, vehicle_kw=220),
        "converter_limits",
    ),
    "power_phase_lost": (
        lambda: powered(level(7.4), ac_phases=3, offer_a=32, onboard_a=32, onboard_phases=3),
        "phase_missing",
    ),
    "power_lead": (
        lambda: powered(level(13.8), ac_phases=3, offer_a=32, onboard_a=32, onboard_phases=3, cable_code_a=20),
        "lead_underrated",
    ),
    "power_cold": (lambda: stayed("pack_c", pack_c=2.0), "pack_cold"),
    "power_hot": (lambda: stayed("pack_c", pack_c=51.0), "pack_hot"),
    "power_interrupted": (lambda: stayed(spells=(Spell(6.0, 9.0, 0.0),)), "power_interruption"),
    "power_unexplained": (lambda: powered(level(61.0, 40.0), post_kw=150), None),
    "power_vehicle_limit": (
        lambda: powered(level(77.0, 30.0), post_kw=150, post_a=350, vehicle_kw=77, pack_class_v=400),
        None,
    ),
    "power_slower": (lambda: powered(sinking()), "cable_cooling"),
    "power_label": (
        lambda: powered(level(80.0), post_kw=300, post_a=200, post_v=1000, pack_class_v=400, vehicle_kw=250),
        "label_unreachable",
    ),
    "power_supply": (
        lambda: powered(
            level(50.0), post_kw=150, post_a=400, grid_kw=50, buffer_kwh=0, vehicle_kw=140, pack_class_v=400
        ),
        None,
    ),
    "power_below_rating": (
        lambda: powered(level(60.0), post_kw=150, module_kw=30, vehicle_kw=140, post_a=400, pack_class_v=400),
        None,
    ),
}


@pytest.mark.parametrize("code", POWER)
def test_what_a_power_record_and_its_ratings_show(code: str) -> None:
    made, cause = POWER[code]
    analysis = made()
    assert code in codes(analysis)
    if cause:
        assert cause in {c.code for c in analysis.causes[:3]}


def test_a_neighbour_seen_to_plug_in_as_power_falls_is_noted() -> None:
    record = seen(played(POST, spells=(Spell(5.0, 11.0, 55.0),)))
    analysis = take(record).analysis
    stamp = Stamp(kind="neighbour_plugs_in", at_s=295.0, by_name="Runa")
    told = {f.code for f in together([part("power", analysis)], [stamp]).judgement.findings}
    assert "power_neighbour" in told


@pytest.mark.parametrize("condition", ["burnt", "corroded", "debris", "wet"])
def test_a_look_at_a_contact_speaks_beside_any_capture(condition: str) -> None:
    script = pilot().hold(12, ms=300).hold(9, ms=400).pwm(9, 26.7, 500).pwm(6, 26.7, 3000)
    alone = analyse(Recording((script.record(103e3, QUIET),), "test"))
    look = Inspection(pin="PE", where="Type 2 plug", condition=condition, by_name="Runa")
    judgement = together([part("pilot", alone)], inspections=[look]).judgement
    said = {f.code: f for f in judgement.findings}[f"contact_{condition}"]
    assert "noted by Runa" in said.text
    assert said.severity == "suspect"


def lined(
    volts: list[tuple[float, float]], amps: list[tuple[float, float]], phases: int = 1, amps_on: int = 9
) -> Analysis:
    script = (
        pilot()
        .hold(12, ms=300)
        .hold(9, ms=200)
        .pwm(9, 26.7, 500)
        .pwm(6, 26.7, 14_000)
        .pwm(9, 26.7, 500)
        .hold(12, ms=500)
    )
    cp = script.record(103e3, QUIET)
    waves = [cp, *mains(volts, amps, cp.duration_s, 103e3, phases)]
    kept = [w for w in waves if not (w.unit == "A" and int(w.name[-1]) > amps_on)]
    return analyse(Recording(tuple(kept), "test"))


ON = [(1.4, 230.0), (15.05, 0.0)]


def test_less_current_than_offered_is_a_note_and_no_fault() -> None:
    analysis = lined(ON, [(3.0, 6.0), (14.8, 0.0)])
    assert {f.code: f.severity for f in analysis.findings}["draws_below_offer"] == "note"
    assert "charger_size" in {c.code for c in analysis.causes}
    assert analysis.outcome == "charged"


def test_phases_that_carry_nothing_beside_one_that_does_are_noted() -> None:
    analysis = lined(ON, [(3.0, 15.5), (14.8, 0.0)], phases=3, amps_on=1)
    assert {f.code: f.severity for f in analysis.findings}["phases_unused"] == "note"
    assert "charger_phase_lost" in {c.code for c in analysis.causes}


def test_a_dip_of_the_supply_is_told_with_its_volts() -> None:
    analysis = lined([(1.4, 230.0), (8.0, 170.0), (8.4, 230.0), (15.05, 0.0)], [(3.0, 15.5), (14.8, 0.0)])
    assert "mains_dip" in codes(analysis)


def test_a_welded_contactor_is_told_first_and_nothing_wrong_does_not_lead() -> None:
    analysis = lined([(0.0, 230.0)], [(3.0, 15.5), (14.8, 0.0)])
    assert analysis.findings[0].code == "mains_without_request"
    assert (analysis.causes[0].code, analysis.causes[0].owner) == ("contactor_welded", "evse")
    assert analysis.outcome == "charged"


class Altered(Post):
    """A post whose answers carry other fields."""

    changes: dict[str, dict[str, Any]]

    def answer(self, key: str, name: str, request: dict[str, Any]) -> dict[str, Any] | None:
        made = super().answer(key, name, request)
        return made and made | self.changes.get(name, {})


class Deviating(Post):
    def hello(self, request: dict[str, Any]) -> dict[str, Any]:
        return {**super().hello(request), "ResponseCode": "OK_SuccessfulNegotiationWithMinorDeviation"}


class NoReceipts(Stage):
    def _receipt(self, told: dict[str, Any]) -> None:
        """The vehicle passes over what it is asked for."""


class Installing(Stage):
    """A vehicle without a contract asks for one, as the reference stack's does; the post has none."""

    def _services(self) -> None:
        self.ask("ServiceDiscovery")
        for m in installation():
            side = m.name.endswith("Res")
            fields = m.fields | ({"ResponseCode": "FAILED_NoCertificateAvailable"} if side else {})
            self._send(side, write_message("iso2", m.name, fields, self._header(side, False)), "iso2")
            self.wire.time_s += 0.2
        self._close(0)


def installation() -> list[Message]:
    """Request and response of a contract installed, as a stack that is not ours wrote them."""
    capture = read_capture(Source(SESSIONS / "sealed12_install.pcap"), Options())
    keys = read_keylog((SESSIONS / "sealed12_install.keys").read_text())
    messages = take(capture, None, Supplements(keys)).messages
    assert messages is not None
    every = [messages.one(n).message for n in range(len(messages))]
    return [m for m in every if m.name.startswith("CertificateInstallation")]


def altered(**changes: dict[str, Any]) -> Altered:
    post = Altered()
    post.changes = changes
    return post


def heard(frames: list[Frame]) -> Analysis:
    return take(FrameCapture(tuple(frames), "pcapng")).analysis


def late(frames: list[Frame], after: Callable[[Frame], bool], by_s: float) -> list[Frame]:
    """All frames after the first that fits, later by so much."""
    at = next(f.time_s for f in frames if after(f))
    return [f._replace(time_s=f.time_s + by_s) if f.time_s > at else f for f in frames]


def until_waiting() -> list[Frame]:
    frames = play(Plan(post=Post(ongoing={"Authorization": 25, "CableCheck": 6}), loop_s=1.0)).frames
    begun = heard(frames).conversation.connections[0].of("Authorization")[0].start_s
    return [f for f in frames if f.time_s < begun + 4.0]


def plain_connection_after_tls_was_asked() -> list[Frame]:
    asked, wanted = bytes.fromhex("01fe9000000000021000"), bytes.fromhex("01fe9000000000020000")
    return [f._replace(data=f.data.replace(asked, wanted)) for f in play(Plan(loop_s=1.0)).frames]


def refused_port() -> list[Frame]:
    played_ = play(Plan(loop_s=1.0)).frames
    syn = next(f for f in played_ if len(f.data) > 67 and f.data[12:14] == b"\x86\xdd" and f.data[20] == 6)
    kept = [f for f in played_ if f.time_s <= syn.time_s or f.data[12:14] == b"\x88\xe1"]
    return [f for f in kept if f.time_s < syn.time_s + 8.0]


def from_the_loop_on() -> list[Frame]:
    """A capture that was begun while the charge ran."""
    frames = play(Plan(loop_s=8.0)).frames
    loop = heard(frames).conversation.connections[0].of("CurrentDemand")[0]
    return [f for f in frames if f.time_s > loop.start_s + 2.0]


def is_mme(frame: Frame, kind: int) -> bool:
    return frame.data[12:14] == b"\x88\xe1" and frame.data[15:17] == kind.to_bytes(2, "little")


def turned_length() -> list[Frame]:
    """A match request whose length stands most significant byte first."""
    frames = play(Plan(loop_s=1.0)).frames
    right, turned = b"\x7c\x60\0\0\0\0\x3e\0", b"\x7c\x60\0\0\0\0\0\x3e"
    assert any(right in f.data for f in frames)
    return [f._replace(data=f.data.replace(right, turned)) for f in frames]


CURRENT = {"EVSEPresentCurrent": 40.0, "EVSECurrentLimitAchieved": False, "EVSEPowerLimitAchieved": False}
FRAMES: dict[str, tuple[Callable[[], list[Frame]], str]] = {
    "authorisation_waiting": (until_waiting, "note"),
    "gives_less": (lambda: play(Plan(post=altered(CurrentDemand=CURRENT), loop_s=16.0)).frames, "suspect"),
    "no_current": (
        lambda: play(Plan(post=altered(CurrentDemand={"EVSEPresentCurrent": 0.0}), loop_s=16.0)).frames,
        "fault",
    ),
    "begins_in_the_middle": (from_the_loop_on, "note"),
    "limits_current": (lambda: play(Plan(post=Post(min_a=260.0))).frames, "suspect"),
    "protocol_minor": (lambda: play(Plan(post=Deviating(), loop_s=1.0)).frames, "note"),
    "receipt_missing": (
        lambda: NoReceipts(Plan(post=altered(CurrentDemand={"ReceiptRequired": True}), loop_s=2.0)).play().frames,
        "suspect",
    ),
    "contract_not_installed": (lambda: Installing(Plan(vehicle=Vehicle(contract="X"))).play().frames, "suspect"),
    "pause_asked": (
        lambda: play(Plan(vehicle=Vehicle20(ignores_stop=True), post=Pausing(), loop_s=3.0)).frames,
        "note",
    ),
    "response_warning": (
        lambda: (
            play(
                Plan(
                    vehicle=Vehicle20(),
                    post=Post20(fails={"PowerDelivery": "WARNING_EVPowerProfileViolation"}),
                    loop_s=2.0,
                )
            ).frames
        ),
        "suspect",
    ),
    "sdp_security_taken": (plain_connection_after_tls_was_asked, "note"),
    "setup_slow": (
        lambda: late(play(Plan(loop_s=1.0)).frames, lambda f: b"\x01\xfe\x90\x00" in f.data, 21.0),
        "suspect",
    ),
    "slac_late": (lambda: late(play(Plan(loop_s=1.0)).frames, lambda f: is_mme(f, 0x6064), 0.45), "suspect"),
    "slac_odd": (turned_length, "note"),
    "tcp_refused": (refused_port, "fault"),
}


class Pausing(Post20):
    """A post that asks to pause in every answer of its loop."""

    def answer(self, key: str, name: str, request: dict[str, Any]) -> dict[str, Any] | None:
        made = super().answer(key, name, request)
        if name.endswith("ChargeLoop") and made:
            made |= {"EVSEStatus.NotificationMaxDelay": 0, "EVSEStatus.EVSENotification": "Pause"}
        return made


@pytest.mark.parametrize("code", FRAMES)
def test_what_frames_show(code: str) -> None:
    made, severity = FRAMES[code]
    found = {f.code: f for f in heard(made()).findings}
    assert code in found
    assert found[code].severity == severity


def on_the_bus(plan: RetrofitPlan, more: bytes = b"") -> Analysis:
    names = read_names(bus.dbc().decode(), bus.DBC_NAME)
    content = bus.log(plan.play(), bus.dbc().decode(), "log") + more
    return take(read_capture(Source(content)), None, Supplements(described=(Described(names),))).analysis


def test_error_frames_on_a_bus_are_counted() -> None:
    errors = b"".join(b"(1794300095.%06d) can0 20000080#0000000000000000\n" % n for n in range(900))
    analysis = on_the_bus(RetrofitPlan(), errors)
    assert {f.code: f.severity for f in analysis.findings}["can_errors"] == "suspect"
    assert "bus_wiring" in {c.code for c in analysis.causes}


def test_a_post_that_offers_nothing_over_the_bus() -> None:
    analysis = on_the_bus(RetrofitPlan(post_a=0.0, asks_a=60.0, closes=False))
    assert "can_nothing_offered" in codes(analysis)


class OneOpen(RetrofitPlan):
    """A contactor that is reported closed and is not: the inlet comes up to half the pack's volts and falls back."""

    def _measured(self, t: float) -> dict[str, Any]:
        found = super()._measured(t)
        return found if t < self.closed_s + 0.1 else {**found, "InletVoltage": 150.0, "ChargeCurrent": 0.0}


def test_a_contactor_reported_closed_that_is_open_is_told_by_the_volts_on_both_sides() -> None:
    analysis = on_the_bus(OneOpen())
    assert "can_no_effect" in codes(analysis)
    assert "contactor_not_driven_inside" in {c.code for c in analysis.causes}


def test_contactors_closed_without_the_lock() -> None:
    analysis = on_the_bus(RetrofitPlan(locked_s=float("inf")))
    assert "can_lock_open" in codes(analysis)


def test_suites_with_nothing_in_common_are_told_with_the_side_that_refused() -> None:
    post = authority("Heron", (30, 60))
    vehicle, _ = contexts(post, ssl.TLSVersion.TLSv1_2, "ECDHE-ECDSA-AES128-SHA256")
    _, server = contexts(post, ssl.TLSVersion.TLSv1_2, "ECDHE-ECDSA-CHACHA20-POLY1305")
    found = {f.code: f for f in take(sealed((vehicle, server), hello()).capture).analysis.findings}
    assert "the post sent the alert handshake_failure" in found["tls_nothing_common"].text


def test_a_handshake_that_stops_half_way_never_completed() -> None:
    post = authority("Heron", (30, 60))
    capture = sealed(contexts(post, ssl.TLSVersion.TLSv1_2), hello()).capture
    segments = [f.time_s for f in capture.frames if f.data[12:14] == b"\x86\xdd" and len(f.data) > 100]
    kept = [f for f in capture.frames if f.time_s <= segments[1] or f.time_s == capture.frames[-1].time_s]
    analysis = take(FrameCapture(tuple(kept), "pcapng", first_at=capture.first_at)).analysis
    assert "tls_failed" in codes(analysis)


def test_a_question_about_revocation_without_an_answer_is_noted() -> None:
    """The handshake is OpenSSL's; its ticket extension is made the question, as Python's ssl cannot ask it."""
    capture = sealed(contexts(authority("Heron"), ssl.TLSVersion.TLSv1_2), hello()).capture
    ticket, status = b"\x00\x23\x00\x00", b"\x00\x05\x00\x00"
    hello_at = next(n for n, f in enumerate(capture.frames) if ticket in f.data)
    frames = [f._replace(data=f.data.replace(ticket, status)) if n == hello_at else f
              for n, f in enumerate(capture.frames)]  # fmt: skip
    assert "revocation_unanswered" not in codes(take(capture).analysis)
    assert "revocation_unanswered" in codes(take(replace(capture, frames=tuple(frames))).analysis)


def test_who_calls_a_valid_certificate_expired_has_a_wrong_clock() -> None:
    """The certificate held in January 2020, when the capture says it was taken; the vehicle's clock is this machine's."""
    taken = datetime.datetime(2020, 1, 5, tzinfo=datetime.UTC)
    post = Authority("Heron", taken, (30, 60))
    capture = sealed(contexts(post, ssl.TLSVersion.TLSv1_2, trusted=post, checks_dates=True), hello()).capture
    analysis = take(replace(capture, first_at=taken.timestamp())).analysis
    found = {f.code: f for f in analysis.findings}
    assert "the vehicle's clock is wrong, or the capture's" in found["clock_refuses"].text
