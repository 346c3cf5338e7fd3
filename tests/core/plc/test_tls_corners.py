"""Corners of TLS that a capture meets and a plain handshake does not: key updates, second hellos, blocks, odd ends."""

from __future__ import annotations

import dataclasses
import ssl
import struct

import pytest
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from gladwire.core.lanes.frames.measure import measure_frames
from gladwire.core.plc.certificates import out_of_dates, read_certificate, troubles
from gladwire.core.plc.frames import Frame, FrameCapture
from gladwire.core.plc.keylog import KeyLog, read_keylog
from gladwire.core.plc.tls import APPLICATION, HANDSHAKE, KEY_UPDATE, TlsView
from gladwire.core.plc.tls_cipher import SUITES, DecryptError, Opener, expand_label, next_secret, opener_13
from gladwire.formats import pcapng
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from gladwire.scenarios.tls_line import contexts
from tests.core.plc.sealing import AT, authority, hello, sealed

SUITE = SUITES[0x1301]
RETRY = bytes.fromhex("cf21ad74e59a6111be1d8c021e65b891c2a211167abb8c5e079e09e2c8a8339c")


def record(kind: int, body: bytes) -> bytes:
    return struct.pack(">BHH", kind, 0x0303, len(body)) + body


def handshake(kind: int, body: bytes) -> bytes:
    return bytes([kind]) + len(body).to_bytes(3, "big") + body


def client_hello(random: bytes, asks_status: bool = False) -> bytes:
    extensions = struct.pack(">HHBH", 43, 3, 2, 0x0304)
    if asks_status:
        extensions += struct.pack(">HH", 5, 5) + b"\1\0\0\0\0"
    body = b"\3\3" + random + b"\0" + struct.pack(">HH", 2, 0x1301) + b"\1\0" + struct.pack(">H", len(extensions))
    return handshake(1, body + extensions)


def server_hello(random: bytes, suite: int = 0x1301) -> bytes:
    extensions = struct.pack(">HHH", 43, 2, 0x0304)
    return handshake(2, b"\3\3" + random + b"\0" + struct.pack(">HBH", suite, 0, len(extensions)) + extensions)


def seal(secret: bytes, seq: int, kind: int, plain: bytes, padding: int = 0) -> bytes:
    """One TLS 1.3 record, made with the library's own AES-GCM (RFC 8446, 5.2)."""
    key, iv = expand_label(SUITE, secret, "key", 16), expand_label(SUITE, secret, "iv", 12)
    nonce = bytes(a ^ b for a, b in zip(iv, seq.to_bytes(12, "big"), strict=True))
    inner = plain + bytes([kind]) + b"\0" * padding
    head = struct.pack(">BHH", APPLICATION, 0x0303, len(inner) + 16)
    return head + AESGCM(key).encrypt(nonce, inner, head)


def opened(random: bytes = b"r" * 32) -> tuple[TlsView, bytes]:
    """A view right after its hellos, and the secret its server speaks under."""
    secret = bytes(range(32))
    keys = KeyLog({("SERVER_TRAFFIC_SECRET_0", random): secret, ("CLIENT_TRAFFIC_SECRET_0", random): secret})
    view = TlsView(keys)
    view.feed(1.0, 0, record(HANDSHAKE, client_hello(random)), 0)
    view.feed(1.1, 1, record(HANDSHAKE, server_hello(b"s" * 32)), 0)
    return view, secret


def test_padding_is_taken_off_and_empty_records_say_nothing() -> None:
    view, secret = opened()
    assert view.feed(2.0, 1, seal(secret, 0, APPLICATION, b"hello", padding=40), 0) == [b"hello"]
    assert view.feed(2.1, 1, seal(secret, 1, APPLICATION, b""), 0) == []
    assert view.opening == "opened"


def test_after_a_key_update_the_next_secret_opens() -> None:
    view, secret = opened()
    assert view.feed(2.0, 1, seal(secret, 0, APPLICATION, b"one"), 0) == [b"one"]
    view.feed(2.1, 1, seal(secret, 1, HANDSHAKE, handshake(KEY_UPDATE, b"\0")), 0)
    later = next_secret(SUITE, secret)
    assert view.feed(2.2, 1, seal(later, 0, APPLICATION, b"two"), 0) == [b"two"]
    assert view.feed(2.3, 0, seal(secret, 0, APPLICATION, b"three"), 0) == [b"three"]


def test_a_second_hello_on_request_is_followed() -> None:
    random, secret = b"q" * 32, bytes(range(32))
    view = TlsView(KeyLog({("SERVER_TRAFFIC_SECRET_0", random): secret}))
    view.feed(1.0, 0, record(HANDSHAKE, client_hello(random)), 0)
    view.feed(1.1, 1, record(HANDSHAKE, server_hello(RETRY)), 0)
    view.feed(1.2, 0, record(HANDSHAKE, client_hello(random)), 0)
    view.feed(1.3, 1, record(HANDSHAKE, server_hello(b"s" * 32)), 0)
    assert view.feed(2.0, 1, seal(secret, 0, APPLICATION, b"found"), 0) == [b"found"]


def test_an_unknown_suite_and_alerts_inside_are_told() -> None:
    view = TlsView(KeyLog({("CLIENT_RANDOM", b"r" * 32): b"x" * 48}))
    view.feed(1.0, 0, record(HANDSHAKE, client_hello(b"r" * 32)), 0)
    view.feed(1.1, 1, record(HANDSHAKE, server_hello(b"s" * 32, 0x13FE)), 0)
    view.feed(1.2, 1, record(APPLICATION, b"z" * 40), 0)
    assert view.opening == "suite"
    view, secret = opened()
    view.feed(2.0, 1, seal(secret, 0, 21, bytes([2, 48])), 0)
    assert [(a.side, a.name, a.fatal) for a in view.alerts] == [(1, "unknown_ca", True)]
    view.feed(2.1, 1, seal(secret, 1, 21, bytes([1, 0])), 0)
    assert (view.alerts[-1].name, view.alerts[-1].fatal) == ("close_notify", False)


def test_a_status_asked_for_is_remembered() -> None:
    view = TlsView()
    view.feed(1.0, 0, record(HANDSHAKE, client_hello(b"r" * 32, asks_status=True)), 0)
    assert (view.status_asked, view.status_given) == (True, False)


def test_an_opener_looks_past_a_hole_and_not_past_the_beginning() -> None:
    secret = bytes(range(32))
    records = [seal(secret, n, APPLICATION, bytes([n])) for n in range(80)]
    opener = opener_13(SUITE, secret)
    assert opener.open(records[0][:5], records[0][5:])[:1] == b"\0"
    assert opener.open(records[20][:5], records[20][5:])[:1] == bytes([20])
    assert opener.open(records[21][:5], records[21][5:])[:1] == bytes([21])
    fresh = opener_13(SUITE, secret)
    with pytest.raises(DecryptError):
        fresh.open(records[1][:5], records[1][5:])
    far = Opener(lambda seq, head, body: b"")
    assert far.open(b"", b"") == b""


def test_a_file_that_carries_its_key_log_opens_itself_and_says_so() -> None:
    post = authority("post")
    made = sealed(contexts(post, ssl.TLSVersion.TLSv1_3), hello())
    plain = pcapng.write(made.capture.frames, AT.timestamp())
    text = made.keys.encode()
    body = struct.pack("<II", 0x544C534B, len(text)) + text + b"\0" * (-len(text) % 4)
    block = struct.pack("<II", 10, len(body) + 12) + body + struct.pack("<I", len(body) + 12)
    section = struct.unpack_from("<I", plain, 4)[0]
    capture = read_capture(Source(plain[:section] + block + plain[section:]))
    assert isinstance(capture, FrameCapture)
    assert [m.message.name for m in measure_frames(capture).messages][-1] == "SessionSetupRes"
    assert any("key log of its own" in r for r in capture.remarks)
    assert text.decode().split()[-1] not in repr(capture)


def test_records_cut_by_the_capture_s_own_end_are_no_harm() -> None:
    post = authority("post")
    made = sealed(contexts(post, ssl.TLSVersion.TLSv1_2), hello())
    keys = read_keylog(made.keys)
    for count in range(4, len(made.capture.frames), 3):
        measure_frames(dataclasses.replace(made.capture, frames=made.capture.frames[:count]), keys)
    cut = [Frame(f.time_s, f.data[:-7] if len(f.data) > 120 else f.data) for f in made.capture.frames]
    measure_frames(dataclasses.replace(made.capture, frames=tuple(cut)), keys)


def test_chains_are_judged_as_sent() -> None:
    one, other = authority("one"), authority("other")
    ders = [bytes.fromhex(h) for h in one.sent_hex]
    leaf, sub = (read_certificate(1, d) for d in ders)
    stranger = read_certificate(1, bytes.fromhex(other.sent_hex[1]))
    at = AT.timestamp()
    assert troubles([leaf, sub], at) == []
    assert [t for _, t in troubles([leaf, stranger], at)] == ["missing_intermediate"]
    assert [t for _, t in troubles([leaf], at)] == ["leaf_alone"]
    assert [t for _, t in troubles([sub, leaf], at)] == ["missing_intermediate"]
    broken = read_certificate(1, ders[0][:-20])
    assert [t for _, t in troubles([broken, sub], at)] == ["unreadable"]
    assert out_of_dates(leaf, at + 70 * 86400) == "expired"
    assert out_of_dates(leaf, at - 70 * 86400) == "not_yet_valid"
    assert out_of_dates(leaf, 0.0) is None
    assert (leaf.own_root, sub.authority, leaf.key) == (False, True, "EC secp256r1")


def test_a_certificate_another_key_signed_is_not_vouched_for() -> None:
    """Same names, other keys: only the signature tells."""
    one, twin = authority("twin"), authority("twin")
    leaf = read_certificate(1, bytes.fromhex(one.sent_hex[0]))
    sub = read_certificate(1, bytes.fromhex(twin.sent_hex[1]))
    assert [t for _, t in troubles([leaf, sub], AT.timestamp())] == ["not_signed_by_next"]
