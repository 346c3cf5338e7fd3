"""TLS connections: what can be seen from outside, and what is inside where a key log opens them.

A record: `16 03 03 00 2e`, handshake, version on the wire, 46 bytes.
Source: RFC 5246 (TLS 1.2), RFC 8446 (TLS 1.3), RFC 6066 (certificate status), RFC 7366 (encrypt then MAC).
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from gladwire.core.plc.certificates import CertificateSeen, read_certificate
from gladwire.core.plc.keylog import HANDSHAKES, MASTER, TRAFFICS, KeyLog
from gladwire.core.plc.tls_cipher import SUITES, DecryptError, Opener, next_secret, opener_13, openers_12

CHANGE_CIPHER, ALERT, HANDSHAKE, APPLICATION = 20, 21, 22, 23
CLIENT_HELLO, SERVER_HELLO, TICKET, CERTIFICATE, CERTIFICATE_REQUEST, FINISHED = 1, 2, 4, 11, 13, 20
CERTIFICATE_STATUS, KEY_UPDATE = 22, 24
VERSIONS = {0x0301: "TLS 1.0", 0x0302: "TLS 1.1", 0x0303: "TLS 1.2", 0x0304: "TLS 1.3"}
TLS_13 = "TLS 1.3"
# RFC 5246 7.2.2 and RFC 8446 6.2.
ALERTS = {
    0: "close_notify", 10: "unexpected_message", 20: "bad_record_mac", 22: "record_overflow", 40: "handshake_failure",
    42: "bad_certificate", 43: "unsupported_certificate", 44: "certificate_revoked", 45: "certificate_expired",
    46: "certificate_unknown", 47: "illegal_parameter", 48: "unknown_ca", 49: "access_denied", 50: "decode_error",
    51: "decrypt_error", 70: "protocol_version", 71: "insufficient_security", 80: "internal_error",
    86: "inappropriate_fallback", 90: "user_canceled", 109: "missing_extension", 110: "unsupported_extension",
    112: "unrecognized_name", 113: "bad_certificate_status_response", 115: "unknown_psk_identity",
    116: "certificate_required", 120: "no_application_protocol",
}  # fmt: skip
# A record's head, its largest plaintext and what a cipher may add.
_LONGEST = 5 + (1 << 14) + 2048
_STATUS_REQUEST, _ENCRYPT_THEN_MAC, _PRE_SHARED, _SUPPORTED_VERSIONS = 5, 22, 41, 43
# The server's random when it only asks for another hello: SHA-256 of "HelloRetryRequest" (RFC 8446, 4.1.3).
_RETRY = bytes.fromhex("cf21ad74e59a6111be1d8c021e65b891c2a211167abb8c5e079e09e2c8a8339c")

# What came of opening a connection: "" no key log was given; opened, all of it; partly; no_line, the log has none of this
# connection; no_hello, the capture lacks the handshake; wrong, its lines do not fit; suite, a cipher not known here.
Opening = Literal["", "opened", "partly", "no_line", "no_hello", "wrong", "suite"]


@dataclass(frozen=True, slots=True)
class AlertSeen:
    """An alert. side: 0 the one that opened the connection. name: empty where it was sealed."""

    time_s: float
    side: int
    name: str
    fatal: bool


@dataclass(slots=True)
class TlsView:
    """One TLS connection. keys: what may open it."""

    keys: KeyLog = field(default_factory=KeyLog)
    version: str = ""
    offered: tuple[str, ...] = ()
    cipher: int = 0
    certificates: list[CertificateSeen] = field(default_factory=list)
    alerts: list[AlertSeen] = field(default_factory=list)
    client_asked_for_certificate: bool = False
    status_asked: bool = False
    status_given: bool = False
    resumed: bool = False
    encrypted: list[bool] = field(default_factory=lambda: [False, False])
    finished_s: float | None = None
    records: list[tuple[float, int, int]] = field(default_factory=list)  # time, side, bytes of application data
    unopened: int = 0
    opened: int = 0
    _randoms: list[bytes] = field(default_factory=lambda: [b"", b""])
    _secrets: list[bytes] = field(default_factory=lambda: [b"", b""])
    _openers: list[Opener | None] = field(default_factory=lambda: [None, None])
    _later: list[Opener | None] = field(default_factory=lambda: [None, None])
    _made: bool = False
    _mac_last: bool = False
    _finished: list[bool] = field(default_factory=lambda: [False, False])
    _buffers: list[bytes] = field(default_factory=lambda: [b"", b""])
    _handshakes: list[bytes] = field(default_factory=lambda: [b"", b""])

    @property
    def opening(self) -> Opening:
        if not self.keys or not (any(self.encrypted) or self.records):
            return ""
        if not self._randoms[0] or not self._randoms[1]:
            return "no_hello"
        if self.cipher not in SUITES:
            return "suite"
        if self.opened:
            return "partly" if self.unopened else "opened"
        return "wrong" if self._has_line() else "no_line"

    def _has_line(self) -> bool:
        return any(self.keys.find(label, self._randoms[0]) for label in (MASTER, *HANDSHAKES, *TRAFFICS))

    def feed(self, time_s: float, side: int, data: bytes, lost: int) -> list[bytes]:
        """Bytes of one side in order; what they held of application data, where it opens."""
        if lost:
            self._buffers[side] = self._handshakes[side] = b""
        buffer = self._buffers[side] + data if self._buffers[side] else data
        at, size, plain = 0, len(buffer), []
        while size - at >= 5:
            end = at + 5 + (buffer[at + 3] << 8 | buffer[at + 4])
            if not _begins(buffer, at) or end - at > _LONGEST:
                at = size
                break
            if end > size:
                break
            found = self._record(time_s, side, buffer[at : at + 5], buffer[at + 5 : end])
            if found:
                plain.append(found)
            at = end
        self._buffers[side] = buffer[at:] if at else buffer
        return plain

    def _record(self, time_s: float, side: int, head: bytes, body: bytes) -> bytes:
        kind = head[0]
        if kind == CHANGE_CIPHER:
            self.encrypted[side] = True
            if all(self.encrypted) and self.finished_s is None:
                self.finished_s = time_s
            return b""
        encrypted = kind == APPLICATION if self.version == TLS_13 else self.encrypted[side]
        if encrypted and self.keys:
            opened = self._open(side, head, body)
            if opened is not None:
                return self._inside(time_s, side, *opened)
            self.unopened += 1
        self._outside(time_s, side, kind, body)
        return b""

    def _outside(self, time_s: float, side: int, kind: int, body: bytes) -> None:
        if kind == APPLICATION:
            self.records.append((time_s, side, len(body)))
            if self.finished_s is None and self.version == TLS_13:
                self.finished_s = time_s
        elif kind == ALERT:
            self._alert(time_s, side, body)
        elif kind == HANDSHAKE and not self.encrypted[side]:
            self._handshake(time_s, side, body)

    def _alert(self, time_s: float, side: int, body: bytes) -> None:
        plain = len(body) == 2 and body[0] in (1, 2)
        name = ALERTS.get(body[1], f"alert {body[1]}") if plain else ""
        # TLS 1.3 knows no warnings but the closing ones (RFC 8446, 6).
        fatal = plain and (body[0] == 2 or self.version == TLS_13) and body[1] not in (0, 90)
        self.alerts.append(AlertSeen(time_s, side, name, fatal))

    def _open(self, side: int, head: bytes, body: bytes) -> tuple[int, bytes] | None:
        """(kind, plaintext) of a sealed record; None where it does not open."""
        if not self._made:
            self._make_openers()
        for opener in (self._openers[side], self._later[side]):
            if opener is None:
                continue
            try:
                plain = opener.open(head, body)
            except DecryptError:
                continue
            self.opened += 1
            if opener is not self._openers[side]:
                self._openers[side], self._later[side] = opener, None
            if self.version != TLS_13:
                return head[0], plain
            stripped = plain.rstrip(b"\0")
            return (stripped[-1], stripped[:-1]) if stripped else (APPLICATION, b"")
        return None

    def _make_openers(self) -> None:
        self._made = True
        suite, client, server = SUITES.get(self.cipher), *self._randoms
        if suite is None or not client or not server:
            return
        if self.version == TLS_13:
            for side in (0, 1):
                handshake, traffic = (self.keys.find(labels[side], client) for labels in (HANDSHAKES, TRAFFICS))
                self._openers[side] = opener_13(suite, handshake) if handshake else None
                self._later[side] = opener_13(suite, traffic) if traffic else None
                self._secrets[side] = traffic or b""
        else:
            master = self.keys.find(MASTER, client)
            if master is not None:
                self._openers = list(openers_12(suite, master, client, server, self._mac_last))

    def _inside(self, time_s: float, side: int, kind: int, plain: bytes) -> bytes:
        """What a record that opened is good for; application data is returned."""
        if kind == APPLICATION:
            self.records.append((time_s, side, len(plain)))
            return plain
        if kind == ALERT:
            self._alert(time_s, side, plain)
        elif kind == HANDSHAKE:
            self._handshake(time_s, side, plain)
        return b""

    def _handshake(self, time_s: float, side: int, body: bytes) -> None:
        buffer = self._handshakes[side] + body
        while len(buffer) >= 4:
            length = int.from_bytes(buffer[1:4], "big")
            if len(buffer) < 4 + length:
                break
            self._message(time_s, side, buffer[0], buffer[4 : 4 + length])
            buffer = buffer[4 + length :]
        self._handshakes[side] = buffer

    def _message(self, time_s: float, side: int, kind: int, body: bytes) -> None:
        if kind == CLIENT_HELLO and len(body) >= 35:
            self._client_hello(body)
        elif kind == SERVER_HELLO and len(body) >= 38:
            self._server_hello(body)
        elif kind == CERTIFICATE:
            found, status = _certificates(side, body, self.version == TLS_13)
            self.certificates += found
            self.status_given = self.status_given or status
        elif kind == CERTIFICATE_STATUS:
            self.status_given = True
        elif kind == CERTIFICATE_REQUEST:
            self.client_asked_for_certificate = True
        elif kind == FINISHED:
            self._finish(time_s, side)
        elif kind == KEY_UPDATE and self._secrets[side]:
            suite = SUITES[self.cipher]
            self._secrets[side] = next_secret(suite, self._secrets[side])
            self._openers[side] = opener_13(suite, self._secrets[side])

    def _client_hello(self, body: bytes) -> None:
        self.offered, extensions = _client_versions(body)
        self._randoms[0] = body[2:34]
        self.status_asked = _STATUS_REQUEST in extensions

    def _server_hello(self, body: bytes) -> None:
        self.version, self.cipher, extensions = _server_version(body)
        if body[2:34] == _RETRY:
            return
        self._randoms[1] = body[2:34]
        self._mac_last = _ENCRYPT_THEN_MAC in extensions
        self.resumed = _PRE_SHARED in extensions

    def _finish(self, time_s: float, side: int) -> None:
        self._finished[side] = True
        if self.version == TLS_13:
            self._openers[side], self._later[side] = self._later[side], None
        elif side == 1 and not self._finished[0]:
            self.resumed = True  # in TLS 1.2 the server finishes first only when a session is taken up again
        if all(self._finished):
            self.finished_s = time_s


def is_tls(data: bytes) -> bool:
    """Whether a stream begins as TLS does."""
    return len(data) >= 3 and _begins(data, 0)


def _begins(data: bytes, at: int) -> bool:
    return CHANGE_CIPHER <= data[at] <= APPLICATION and data[at + 1] == 3 and data[at + 2] < 5


def _extensions(body: bytes, at: int) -> dict[int, bytes]:
    found: dict[int, bytes] = {}
    end = min(len(body), at + 2 + int.from_bytes(body[at : at + 2], "big"))
    at += 2
    while at + 4 <= end:
        kind, length = int.from_bytes(body[at : at + 2], "big"), int.from_bytes(body[at + 2 : at + 4], "big")
        found[kind] = body[at + 4 : at + 4 + length]
        at += 4 + length
    return found


def _client_versions(body: bytes) -> tuple[tuple[str, ...], dict[int, bytes]]:
    at = 34
    at += 1 + (body[at] if at < len(body) else 0)
    at += 2 + int.from_bytes(body[at : at + 2], "big")
    at += 1 + (body[at] if at < len(body) else 0)
    extensions = _extensions(body, at)
    listed = extensions.get(_SUPPORTED_VERSIONS, b"")
    codes = [int.from_bytes(listed[i : i + 2], "big") for i in range(1, len(listed) - 1, 2)]
    codes = codes or [int.from_bytes(body[:2], "big")]
    return tuple(VERSIONS[c] for c in codes if c in VERSIONS), extensions


def _server_version(body: bytes) -> tuple[str, int, dict[int, bytes]]:
    at = 34 + 1 + body[34]
    cipher = int.from_bytes(body[at : at + 2], "big")
    extensions = _extensions(body, at + 3)
    chosen = extensions.get(_SUPPORTED_VERSIONS, body[:2])
    return VERSIONS.get(int.from_bytes(chosen[:2], "big"), "TLS"), cipher, extensions


def _certificates(side: int, body: bytes, newer: bool) -> tuple[list[CertificateSeen], bool]:
    """(the certificates of one message, whether a revocation answer came with them)."""
    found: list[CertificateSeen] = []
    status = False
    at = 3 + (1 + body[0] if newer and body else 0)
    while at + 3 <= len(body):
        length = int.from_bytes(body[at : at + 3], "big")
        found.append(read_certificate(side, body[at + 3 : at + 3 + length]))
        at += 3 + length
        if newer:
            status = status or _STATUS_REQUEST in _extensions(body, at)
            at += 2 + int.from_bytes(body[at : at + 2], "big")
    return found, status
