"""Conversations judged: what was broken on purpose is what is told first, and nothing else is called the cause."""

from __future__ import annotations

import datetime
import ssl

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from gladwire.core.analysis import Analysis, take
from gladwire.core.plc.finding_messages import looking_for
from gladwire.core.plc.frames import Frame, FrameCapture
from gladwire.core.plc.listen import listen
from gladwire.core.plc.message import Message
from gladwire.core.plc.plain import speak
from gladwire.core.simulate.plc.matching import Listener
from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.core.simulate.plc.wire import BROADCAST, Line, Station, Wire

MINE, OTHER = Station(bytes.fromhex("02d00d000042")), Station(bytes.fromhex("02d00d000043"))
# plan, the stage that fails, the one fault that is told
BROKEN: dict[str, tuple[Plan, str, str]] = {
    "no answer to matching": (Plan(listeners=(Listener(MINE, answers=False),)), "match", "slac_no_answer"),
    "no result of matching": (Plan(listeners=(Listener(MINE, gives_result=False),)), "match", "slac_broke_off"),
    "match never confirmed": (Plan(listeners=(Listener(MINE, confirms=False),)), "match", "slac_match_refused"),
    "matched, not joined": (Plan(joins=False), "match", "slac_not_joined"),
    "discovery unanswered": (Plan(discovery=False), "link", "sdp_no_answer"),
    "security differs": (Plan(tls_asked=True), "link", "sdp_security"),
    "never connects": (Plan(connects=False), "link", "tcp_never_opened"),
    "no protocol": (Plan(vehicle=Vehicle(("din",)), post=Post(("iso2",))), "agree", "no_common_protocol"),
    "reset in the middle": (Plan(hangs_up={"ServiceDiscovery": 1}), "agree", "connection_closed"),
    "unknown session": (Plan(post=Post(fails={"ServiceDiscovery": "FAILED_UnknownSession"})), "agree", "response_failed"),
    "refused": (Plan(post=Post(fails={"Authorization": "FAILED"})), "authorise", "authorisation_refused"),
    "never decides": (
        Plan(post=Post(ongoing={"Authorization": -1}), patience=118), "authorise", "authorisation_endless"),
    "gives up waiting": (
        Plan(post=Post(ongoing={"Authorization": -1}), patience=20), "authorise", "authorisation_endless"),
    "limits refused": (
        Plan(post=Post(fails={"ChargeParameterDiscovery": "FAILED_WrongChargeParameter"})), "parameters", "limits_refused"),
    "limits never settled": (
        Plan(post=Post(ongoing={"ChargeParameterDiscovery": -1})), "parameters", "parameters_endless"),
    "pack too low": (
        Plan(vehicle=Vehicle(pack_v=118, max_v=134), hangs_up={"ChargeParameterDiscovery": 0}),
        "parameters", "limits_voltage"),
    "pack too high": (
        Plan(vehicle=Vehicle(pack_v=690, max_v=800), post=Post(reaches_v=500)), "parameters", "limits_voltage"),
    "nothing offered": (
        Plan(post=Post(max_a=0.0), hangs_up={"ChargeParameterDiscovery": 0}), "parameters", "nothing_offered"),
    "lock fault": (
        Plan(vehicle=Vehicle(error="FAILED_ChargerConnectorLockFault", error_at="CableCheck")), "insulation", "ev_error"),
    "insulation fault": (Plan(post=Post(insulation="Fault")), "insulation", "insulation_status"),
    "check never ends": (
        Plan(post=Post(ongoing={"CableCheck": -1}), patience=84), "insulation", "insulation_no_verdict"),
    "volts too low": (Plan(post=Post(reaches_v=210)), "precharge", "precharge_not_reached"),
    "never closes": (Plan(vehicle=Vehicle(never_closes=True)), "precharge", "precharge_not_reached"),
    "vehicle silent": (Plan(vehicle=Vehicle(silent_after="PreCharge")), "precharge", "vehicle_silent"),
    "will not switch": (
        Plan(post=Post(fails={"PowerDelivery": "FAILED_PowerDeliveryNotApplied"})), "ramp", "switching_refused"),
    "silent at switching": (Plan(post=Post(silent_at="PowerDelivery")), "ramp", "post_silent"),
    "emergency": (Plan(post=Post(emergency_after=20)), "hold", "post_emergency"),
    "silent in the loop": (Plan(vehicle=Vehicle(silent_after="CurrentDemand")), "hold", "vehicle_silent"),
    "stop ignored": (Plan(vehicle=Vehicle(ignores_stop=True), post=Post(stops_after=10), loop_s=20), "end", "stop_ignored"),
}  # fmt: skip


def judged(frames: list[Frame]) -> Analysis:
    return take(FrameCapture(tuple(frames), "sim", first_at=1_780_000_000.0)).analysis


@pytest.mark.parametrize("name", BROKEN)
def test_the_first_thing_that_went_wrong_is_told_alone(name: str) -> None:
    plan, stage, code = BROKEN[name]
    analysis = judged(play(plan).frames)
    assert [f.code for f in analysis.findings if f.severity == "fault"] == [code]
    failed = [s.stage for s in analysis.stages if s.state == "failed"]
    assert failed == [stage]
    assert analysis.verdict.startswith(next(f.text for f in analysis.findings if f.code == code))
    assert analysis.outcome == {"hold": "dropped_out", "end": "charged"}.get(stage, "failed_to_start")


@pytest.mark.parametrize("protocol", ["din", "iso2"])
def test_a_healthy_session_is_proven_from_match_to_end_without_a_fault(protocol: str) -> None:
    analysis = judged(play(Plan(vehicle=Vehicle((protocol,)))).frames)
    assert [s.state for s in analysis.stages[5:]] == ["proven"] * 10
    assert not [f for f in analysis.findings if f.severity in ("fault", "suspect")]
    assert analysis.outcome == "charged"
    assert [w.name for w in analysis.channels][:2] == ["Volts the post gives", "Volts the vehicle asks"]


def test_the_wrong_post_weak_and_lost_sounds_are_told_with_their_decibels() -> None:
    plan = Plan(listeners=(Listener(MINE, 7.0), Listener(OTHER, 24.0, heard=7)), chooses=1,
                post=Post(ongoing={"CableCheck": -1}), patience=84)  # fmt: skip
    codes = {f.code: f for f in judged(play(plan).frames).findings}
    assert codes["slac_wrong_post"].severity == "fault"
    assert float(codes["slac_weak"].measured.split()[0]) == pytest.approx(24, abs=0.5)
    assert codes["slac_sounds_lost"].measured == "7 heard"
    assert codes["slac_several_posts"].measured == "2 posts"
    late = Plan(listeners=(Listener(MINE, 7.0, confirms_after_s=0.35),))
    assert "slac_late_match" in {f.code for f in judged(play(late).frames).findings}
    alike = Plan(listeners=(Listener(MINE, 7.0), Listener(OTHER, 8.0)))
    assert "slac_ambiguous" in {f.code for f in judged(play(alike).frames).findings}


def test_late_answers_and_a_stop_that_is_followed_are_no_faults() -> None:
    late = {f.code: f for f in judged(play(Plan(post=Post(late_at="CurrentDemand", late_s=0.4))).frames).findings}
    assert late["answers_late"].severity == "suspect"
    followed = judged(play(Plan(post=Post(stops_after=12))).frames)
    assert followed.outcome == "charged"
    assert "stop_followed" in {f.code for f in followed.findings}


def test_a_capture_cut_short_anywhere_calls_nothing_a_fault() -> None:
    """What the capture does not show is a gap: cut right after any frame, a healthy session has no fault."""
    frames = play(Plan(loop_s=2.0)).frames
    for end in range(3, len(frames), 7):
        analysis = judged(frames[:end])
        assert not [f for f in analysis.findings if f.severity == "fault"], frames[end].time_s
        assert "failed" not in {s.state for s in analysis.stages}


def test_a_second_try_that_charges_leaves_the_first_as_suspect_only() -> None:
    first = play(Plan(post=Post(fails={"Authorization": "FAILED"}))).frames
    start = first[-1].time_s + 8.0
    second = [f._replace(time_s=f.time_s + start) for f in play(Plan(seed=3)).frames]
    analysis = judged(first + second)
    refused = next(f for f in analysis.findings if f.code == "authorisation_refused")
    assert refused.severity == "suspect"
    assert analysis.outcome == "charged"
    assert "tried_again" in {f.code for f in analysis.findings}


def test_a_neighbours_matching_is_named_and_not_mixed_in() -> None:
    mine = play(Plan()).frames
    wire = Wire(4.0)
    stranger = bytes.fromhex("02aabbccddee")
    for _ in range(3):
        wire.homeplug(BROADCAST, stranger, 0x6064, b"\0\0" + bytes(range(8)))
        wire.time_s += 0.4
    analysis = judged(sorted([*mine, *wire.frames], key=lambda f: f.time_s))
    assert len(analysis.conversation.slac) == 2
    assert analysis.outcome == "charged"
    assert any("2 vehicles" in f.text for f in analysis.findings)


def _certificate(days: int) -> tuple[bytes, bytes]:
    """(certificate, key) in PEM, valid for so many days from a fixed one on."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "SECC harbour 42")])
    start = datetime.datetime(2026, 1, 1, tzinfo=datetime.UTC)
    made = (
        x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key())
        .serial_number(7).not_valid_before(start).not_valid_after(start + datetime.timedelta(days=days))
        .sign(key, hashes.SHA256())
    )  # fmt: skip
    private = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    return made.public_bytes(serialization.Encoding.PEM), private


def sealed(tmp_path_factory: pytest.TempPathFactory, version: ssl.TLSVersion, days: int, trusting: bool) -> list[Frame]:
    """Frames of a real TLS handshake (OpenSSL through Python's ssl) and a few bytes either way."""
    folder = tmp_path_factory.mktemp("tls")
    certificate, key = _certificate(days)
    (folder / "c.pem").write_bytes(certificate)
    (folder / "k.pem").write_bytes(key)
    server = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    server.load_cert_chain(folder / "c.pem", folder / "k.pem")
    client = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    client.check_hostname = False
    client.verify_mode = ssl.CERT_NONE if trusting else ssl.CERT_REQUIRED
    client.minimum_version = client.maximum_version = version
    bios = [(ssl.MemoryBIO(), ssl.MemoryBIO()) for _ in range(2)]
    ends = [client.wrap_bio(*bios[0]), server.wrap_bio(*bios[1], server_side=True)]
    wire = Wire(1.0)
    line = Line(wire, (Station(bytes.fromhex("02a1b2c3d4e5")), MINE))
    line.open()
    failed = False
    for _ in range(6):
        for side in (0, 1):
            try:
                ends[side].do_handshake()
            except ssl.SSLWantReadError:
                pass
            except ssl.SSLError:
                failed = True
            if data := bios[side][1].read():
                line.say(side, data)
                bios[1 - side][0].write(data)
            wire.time_s += 0.02
    for side in (0, 1) if not failed else ():
        ends[side].write(b"\x01\xfe\x80\x01 secret")
        line.say(side, bios[side][1].read())
        wire.time_s += 0.5
    line.close(1)
    wire.time_s += 3.0
    wire.homeplug(BROADCAST, MINE.mac, 0x0016, b"\0")
    return wire.frames


@pytest.mark.parametrize("version", [ssl.TLSVersion.TLSv1_2, ssl.TLSVersion.TLSv1_3])
def test_a_sealed_conversation_says_what_it_can(
    tmp_path_factory: pytest.TempPathFactory, version: ssl.TLSVersion
) -> None:
    analysis = judged(sealed(tmp_path_factory, version, 4000, trusting=True))
    seen = analysis.conversation.talks[0].sealed
    assert seen.version == {ssl.TLSVersion.TLSv1_2: "TLS 1.2", ssl.TLSVersion.TLSv1_3: "TLS 1.3"}[version]
    codes = {f.code for f in analysis.findings}
    assert "tls_sealed" in codes
    assert not [f for f in analysis.findings if f.severity == "fault"]
    states = {s.stage: s for s in analysis.stages}
    assert states["link"].state == "proven"
    assert "sealed" in states["agree"].why
    if version == ssl.TLSVersion.TLSv1_2:
        assert [(c.by, c.subject, c.not_after) for c in seen.certificates] == [
            ("evse", "CN=SECC harbour 42", "2036-12-14")
        ]


def test_a_refused_handshake_names_alert_and_side_and_old_certificates_their_dates(
    tmp_path_factory: pytest.TempPathFactory,
) -> None:
    refused = judged(sealed(tmp_path_factory, ssl.TLSVersion.TLSv1_2, 4000, trusting=False))
    assert [f.code for f in refused.findings if f.severity == "fault"] == ["tls_failed"]
    assert "the vehicle sent the alert unknown_ca" in refused.verdict
    expired = judged(sealed(tmp_path_factory, ssl.TLSVersion.TLSv1_2, 30, trusting=True))
    assert "tls_certificate_out" in {f.code for f in expired.findings}


def test_turns_fold_loops_and_speak_in_plain_words() -> None:
    record = listen(FrameCapture(tuple(play(Plan(loop_s=10.0)).frames), "sim")).record
    loop = next(t for t in record.talks[0].turns if t.stem == "CurrentDemand")
    assert loop.count > 30
    assert loop.ranges["EVTargetCurrent"] == (13, 120)
    assert loop.period_s == pytest.approx(0.24, abs=0.01)
    said = speak(loop)
    assert said.ev.startswith("Give me 13 → 120 A.")
    assert said.evse.startswith("You get ")
    spoken = {t.stem: speak(t) for t in record.talks[0].turns}
    assert spoken["supportedAppProtocol"].ev == "I speak ISO 15118-2 and DIN SPEC 70121."
    assert spoken["ChargeParameterDiscovery"].evse == "I give up to 500 V and 200 A, 60 kW, from 150 V."


@pytest.mark.parametrize(
    ("text", "found"),
    [("", True), ("currentdemand", True), ("EVSEPresentCurrent>100", True), ("PresentCurrent>=130", False),
     ("ready", True), ("DIN", False), ("presentvoltage<400 OK", True), ("presentvoltage<300", False)],
)  # fmt: skip
def test_messages_are_found_by_word_field_and_comparison(text: str, found: bool) -> None:
    fields = {
        "ResponseCode": "OK",
        "EVSEPresentVoltage": 352.5,
        "EVSEPresentCurrent": 120,
        "S.EVSEStatusCode": "EVSE_Ready",
    }
    assert looking_for(text)(Message("ISO15118-2", "CurrentDemandRes", fields)) is found
