"""Sealed conversations against OpenSSL: what both ends said must come out, and what cannot must say why."""

from __future__ import annotations

import ssl
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gladwire.core.lanes.frames.measure import FramesResult, measure_frames
from gladwire.core.plc.frames import FrameCapture
from gladwire.core.plc.keylog import KeyLog, is_keylog, read_keylog
from gladwire.core.plc.tls_cipher import SUITES, expand_label, prf
from gladwire.core.supplements import Supplements
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options
from gladwire.formats.registry import read_capture
from gladwire.scenarios import tls
from gladwire.scenarios.tls_line import Authority, contexts
from tests.build import take
from tests.core.plc.sealing import AT, TlsSummary, authority, hello, sealed

FIXTURES = Path(__file__).parents[2] / "fixtures" / "sessions"
NAMES = ["supportedAppProtocolReq", "supportedAppProtocolRes", "SessionSetupReq", "SessionSetupRes"]
V12, V13 = ssl.TLSVersion.TLSv1_2, ssl.TLSVersion.TLSv1_3


@pytest.fixture(scope="module")
def post() -> Authority:
    return authority("post")


def heard(made: TlsSummary, keys: str | None = None) -> FramesResult:
    return measure_frames(made.capture, read_keylog(made.keys if keys is None else keys))


def names(listening: FramesResult) -> list[str]:
    return [m.message.name for m in listening.messages]


@pytest.mark.parametrize(
    "name",
    [
        "sealed12_iso2_ac", "sealed12_gcm_iso2_dc", "sealed12_install",
        "sealed13_iso20_dc", "sealed13_iso20_ac", "sealed13_iso20_bpt",
    ],
)  # fmt: skip
def test_sessions_of_a_reference_stack_open_to_what_its_vehicle_logged(name: str) -> None:
    """The stack's own log of every message it encoded and decoded stands beside the capture."""
    capture = read_capture(Source(FIXTURES / f"{name}.pcap"), Options())
    assert isinstance(capture, FrameCapture)
    taken = take(capture, None, Supplements(read_keylog((FIXTURES / f"{name}.keys").read_text())))
    assert taken.messages is not None
    messages = [taken.messages.one(n).message for n in range(len(taken.messages))]
    said = [f"{m.name} {m.response_code or ''}".strip() for m in messages]
    assert said == (FIXTURES / f"{name}.said").read_text().splitlines()
    # In these two the post reports 1 A of the 200 A asked: nothing that counts as a charge.
    gives_nothing = name in ("sealed13_iso20_dc", "sealed13_iso20_bpt")
    assert taken.analysis.outcome == ("failed_to_start" if gives_nothing else "charged")
    assert not [m for m in messages if m.error]


@pytest.mark.parametrize(
    ("version", "suite"),
    [
        (V12, "ECDHE-ECDSA-AES128-SHA256"), (V12, "ECDHE-ECDSA-AES128-SHA"), (V12, "ECDHE-ECDSA-AES256-SHA384"),
        (V12, "ECDHE-ECDSA-AES128-GCM-SHA256"), (V12, "ECDHE-ECDSA-AES256-GCM-SHA384"),
        (V12, "ECDHE-ECDSA-CHACHA20-POLY1305"), (V12, "ECDHE-ECDSA-AES128-CCM"), (V12, "ECDHE-ECDSA-AES128-CCM8"),
        (V13, ""),
    ],
)  # fmt: skip
def test_each_suite_opens(post: Authority, version: ssl.TLSVersion, suite: str) -> None:
    made = sealed(contexts(post, version, suite), hello())
    listening = heard(made)
    connection = listening.record.connections[0]
    assert connection.tls is not None
    assert (names(listening), connection.tls.opening) == (NAMES, "opened")
    assert connection.tls.cipher in {s.name for s in SUITES.values()}
    assert connection.protocol == "ISO15118-2"


def test_without_a_key_log_nothing_is_said_and_nothing_is_blamed(post: Authority) -> None:
    made = sealed(contexts(post, V13), hello())
    listening = measure_frames(made.capture)
    connection = listening.record.connections[0]
    assert names(listening) == []
    assert connection.tls is not None
    assert connection.tls.opening == ""
    analysis = take(made.capture).analysis
    assert "tls_sealed" in {f.code for f in analysis.findings}
    assert not [f for f in analysis.findings if f.severity == "fault"]
    states = {s.stage: s for s in analysis.stages}
    assert states["link"].state == "proven"
    assert "sealed" in states["agree"].why


@pytest.mark.parametrize("version", [V12, V13])
def test_handshakes_cut_into_single_bytes_and_odd_pieces_open(post: Authority, version: ssl.TLSVersion) -> None:
    def cut(data: bytes) -> list[bytes]:
        return [data[:1], data[1:6], data[6:7], *[data[i : i + 97] for i in range(7, len(data), 97)]]

    assert names(heard(sealed(contexts(post, version), hello(), cut=cut))) == NAMES


@pytest.mark.parametrize("version", [V12, V13])
def test_a_resumed_session_opens_and_says_so(post: Authority, version: ssl.TLSVersion) -> None:
    client, server = contexts(post, version)
    first = sealed((client, server), hello())
    again = sealed((client, server), hello(), session=first.session)
    listening = heard(again)
    told = listening.record.connections[0].tls
    assert told is not None
    assert (names(listening), told.resumed, told.opening) == (NAMES, True, "opened")
    before = heard(first).record.connections[0].tls
    assert before is not None
    assert not before.resumed


@pytest.mark.parametrize("version", [V12, V13])
def test_a_vehicle_that_shows_a_certificate_is_seen_on_its_own_side(post: Authority, version: ssl.TLSVersion) -> None:
    car = authority("car")
    listening = heard(sealed(contexts(post, version, car=car), hello()))
    chains = {c.by: [x.name for x in c.certificates] for c in listening.record.connections[0].certificate_chains}
    assert chains == {"ev": ["car leaf", "car sub"], "evse": ["post leaf", "post sub"]}
    shown = listening.record.connections[0].certificate_chains[0].certificates[0]
    assert (shown.key, shown.signature, shown.authority) == ("EC secp256r1", "ECDSA with SHA256", False)


def test_another_session_s_key_log_a_damaged_and_a_partial_one_each_say_what_is_wrong(post: Authority) -> None:
    made = sealed(contexts(post, V13), hello())
    other = sealed(contexts(post, V13), hello())
    lines = [line for line in made.keys.splitlines() if not line.startswith("#")]
    damaged = "\n".join(" ".join([*line.split()[:2], "00" * 48]) for line in lines)
    one_side = "\n".join(line for line in lines if not line.startswith("SERVER_TRAFFIC"))
    no_handshake = "\n".join(line for line in lines if "HANDSHAKE" not in line)

    def opening(keys: str) -> str:
        told = heard(made, keys).record.connections[0].tls
        return told.opening if told else ""

    assert opening(other.keys) == "no_line"
    assert opening(damaged) == "wrong"
    assert opening(one_side) == "partly"
    assert names(heard(made, one_side)) == NAMES[::2]
    assert names(heard(made, no_handshake)) == NAMES
    codes = {f.code for f in take(made.capture, None, Supplements(read_keylog(other.keys))).analysis.findings}
    assert {"tls_keys", "tls_sealed"} <= codes


def test_a_capture_that_starts_after_the_handshake_cannot_be_matched(post: Authority) -> None:
    made = sealed(contexts(post, V12), hello())
    late = FrameCapture(made.capture.frames[-12:], "pcapng", first_at=AT.timestamp())
    told = measure_frames(late, read_keylog(made.keys)).record.connections[0].tls
    assert told is not None
    assert told.opening == "no_hello"


@pytest.mark.parametrize("version", [V12, V13])
def test_records_lost_in_the_middle_cost_only_themselves(post: Authority, version: ssl.TLSVersion) -> None:
    suite = "ECDHE-ECDSA-AES128-GCM-SHA256" if version == V12 else ""
    made = sealed(contexts(post, version, suite), hello() * 3)
    whole = heard(made)
    missing = whole.messages[4].frame
    frames = tuple(f for n, f in enumerate(made.capture.frames) if n != missing)
    listening = measure_frames(FrameCapture(frames, "pcapng"), read_keylog(made.keys))
    assert len(whole.messages) == 12
    assert names(listening) == [n for i, n in enumerate(names(whole)) if i != 4]


def test_an_unknown_root_and_a_missing_intermediate_are_told_apart(post: Authority) -> None:
    stranger = authority("stranger")
    made = sealed(contexts(post, V12, trusted=stranger), hello())
    assert "certificate verify failed" in made.error
    found = {f.code: f for f in take(made.capture).analysis.findings}
    assert "unknown_ca" in found["tls_root_refused"].text
    assert "chain_incomplete" not in found
    bare = authority("bare", leaf_alone=True)
    found = {f.code: f for f in take(sealed(contexts(bare, V12, trusted=bare), hello()).capture).analysis.findings}
    assert found["chain_incomplete"].severity in ("fault", "note")
    assert "sent alone" in found["chain_incomplete"].text


@pytest.mark.parametrize(("valid", "word"), [((60, -10), "out of its dates"), ((-10, 60), "not valid yet")])
def test_certificates_are_held_against_the_day_of_the_capture(valid: tuple[int, int], word: str) -> None:
    late = authority("dated", valid)
    made = sealed(contexts(late, V12), hello())
    found = next(f for f in take(made.capture).analysis.findings if f.code == "tls_certificate_out")
    assert word in found.text


def test_a_handshake_that_fails_opens_as_far_as_it_went() -> None:
    """The certificates of TLS 1.3 are sealed themselves: the key log shows which one was refused."""
    capture = read_capture(Source(tls.frames("expired")))
    assert isinstance(capture, FrameCapture)
    blind = {f.code for f in take(capture).analysis.findings}
    assert "tls_certificate_out" not in blind
    analysis = take(capture, None, Supplements(read_keylog(tls.keys("expired").decode()))).analysis
    codes = {f.code for f in analysis.findings}
    assert {"tls_certificate_out", "tls_opened"} <= codes
    assert "tls_keys" not in codes


def test_the_functions_agree_with_published_examples() -> None:
    """The PRF of TLS 1.2: the test vector posted to the TLS working group's list for P_SHA256; from memory of it.

    HKDF-Expand-Label: RFC 8448, section 3, the client's handshake traffic secret to key and iv.
    """
    secret = bytes.fromhex("9bbe436ba940f017b17652849a71db35")
    seed = bytes.fromhex("a0ba9f936cda311827a6f796ffd5198c")
    assert prf("sha256", secret, b"test label" + seed, 100).hex().startswith("e3f229ba727be17b8d122620557cd453c2aab21d")
    suite = SUITES[0x1301]
    traffic = bytes.fromhex("b3eddb126e067f35a780b3abf45e2d8f3b1a950738f52e9600746a0e27a55a21")
    assert expand_label(suite, traffic, "key", 16).hex() == "dbfaa693d1762c5b666af5d950258d01"
    assert expand_label(suite, traffic, "iv", 12).hex() == "5bd3c71b836e0b76bb73265f"


def test_key_logs_are_known_by_their_lines_and_keep_their_secrets_to_themselves() -> None:
    text = "# comment\nCLIENT_RANDOM " + "ab" * 32 + " " + "cd" * 48 + "\nnonsense\n"
    log = read_keylog(text)
    assert (log.sessions, bool(KeyLog())) == (1, False)
    assert "cd" * 4 not in repr(log)
    assert is_keylog(text.encode())
    windows = b"\xef\xbb\xbf" + text.partition("\n")[2].replace("\n", "\r\n").encode()
    assert is_keylog(windows)
    assert read_keylog(windows.decode("ascii", "replace")).secrets == log.secrets
    assert not is_keylog(b"Time,CP\n0,12\n")
    with pytest.raises(ValueError, match="no line like"):
        read_keylog("CLIENT_RANDOM xyz\n")


@given(st.data())
@settings(deadline=None, max_examples=40)
def test_damage_never_raises(data: st.DataObject) -> None:
    capture = read_capture(Source(FIXTURES / "sealed13_iso20_dc.pcap"), Options())
    assert isinstance(capture, FrameCapture)
    keys = read_keylog((FIXTURES / "sealed13_iso20_dc.keys").read_text())
    frames = list(capture.frames[: data.draw(st.integers(20, 60))])
    for _ in range(data.draw(st.integers(1, 6))):
        n = data.draw(st.integers(0, len(frames) - 1))
        raw = bytearray(frames[n].data)
        if raw:
            raw[data.draw(st.integers(0, len(raw) - 1))] = data.draw(st.integers(0, 255))
        frames[n] = frames[n]._replace(data=bytes(raw[: data.draw(st.integers(0, len(raw)))]))
    take(FrameCapture(tuple(frames), "pcap", first_at=capture.first_at), None, Supplements(keys))
