"""What a TLS connection shows without its keys: versions, names and dates of certificates, alerts, sizes and times.

A record: `16 03 03 00 2e`, handshake, version on the wire, 46 bytes.
Source: RFC 5246 (TLS 1.2), RFC 8446 (TLS 1.3), RFC 5280 for certificates.
"""

from __future__ import annotations

import warnings
from dataclasses import dataclass, field
from datetime import UTC, datetime

CHANGE_CIPHER, ALERT, HANDSHAKE, APPLICATION = 20, 21, 22, 23
CLIENT_HELLO, SERVER_HELLO, CERTIFICATE, CERTIFICATE_REQUEST, FINISHED = 1, 2, 11, 13, 20
VERSIONS = {0x0301: "TLS 1.0", 0x0302: "TLS 1.1", 0x0303: "TLS 1.2", 0x0304: "TLS 1.3"}
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
_SUPPORTED_VERSIONS = 43


@dataclass(frozen=True, slots=True)
class CertificateSeen:
    """A certificate as it went over the wire. dates as ISO days, empty where it could not be read."""

    side: int
    subject: str
    issuer: str
    not_before: str
    not_after: str


@dataclass(frozen=True, slots=True)
class AlertSeen:
    """An alert. side: 0 the one that opened the connection. name: empty where it was sealed."""

    time_s: float
    side: int
    name: str
    fatal: bool


@dataclass(slots=True)
class TlsView:
    """One TLS connection as it can be seen from outside."""

    version: str = ""
    offered: tuple[str, ...] = ()
    cipher: int = 0
    certificates: list[CertificateSeen] = field(default_factory=list)
    alerts: list[AlertSeen] = field(default_factory=list)
    client_asked_for_certificate: bool = False
    sealed: list[bool] = field(default_factory=lambda: [False, False])
    finished_s: float | None = None
    records: list[tuple[float, int, int]] = field(default_factory=list)  # time, side, bytes of application data
    _buffers: list[bytes] = field(default_factory=lambda: [b"", b""])
    _handshakes: list[bytes] = field(default_factory=lambda: [b"", b""])

    def feed(self, time_s: float, side: int, data: bytes, lost: int) -> None:
        """Bytes of one side in order."""
        if lost:
            self._buffers[side] = self._handshakes[side] = b""
        buffer = self._buffers[side] + data
        while len(buffer) >= 5:
            kind, length = buffer[0], int.from_bytes(buffer[3:5], "big")
            if not looks_like_tls(buffer) or length > (1 << 14) + 2048:
                buffer = b""
                break
            if len(buffer) < 5 + length:
                break
            self._record(time_s, side, kind, buffer[5 : 5 + length])
            buffer = buffer[5 + length :]
        self._buffers[side] = buffer

    def _record(self, time_s: float, side: int, kind: int, body: bytes) -> None:
        if kind == CHANGE_CIPHER:
            self.sealed[side] = True
            if all(self.sealed) and self.finished_s is None:
                self.finished_s = time_s
        elif kind == APPLICATION:
            self.records.append((time_s, side, len(body)))
            if self.finished_s is None and self.version == "TLS 1.3":
                self.finished_s = time_s
        elif kind == ALERT:
            plain = len(body) == 2 and body[0] in (1, 2)
            name = ALERTS.get(body[1], f"alert {body[1]}") if plain else ""
            self.alerts.append(AlertSeen(time_s, side, name, plain and body[0] == 2))
        elif kind == HANDSHAKE and not self.sealed[side]:
            self._handshakes[side] += body
            self._messages(side)

    def _messages(self, side: int) -> None:
        buffer = self._handshakes[side]
        while len(buffer) >= 4:
            length = int.from_bytes(buffer[1:4], "big")
            if len(buffer) < 4 + length:
                break
            self._message(side, buffer[0], buffer[4 : 4 + length])
            buffer = buffer[4 + length :]
        self._handshakes[side] = buffer

    def _message(self, side: int, kind: int, body: bytes) -> None:
        if kind == CLIENT_HELLO:
            self.offered = _client_versions(body)
        elif kind == SERVER_HELLO and len(body) >= 38:
            self.version, self.cipher = _server_version(body)
        elif kind == CERTIFICATE:
            self.certificates += _certificates(side, body)
        elif kind == CERTIFICATE_REQUEST:
            self.client_asked_for_certificate = True


def looks_like_tls(data: bytes) -> bool:
    """Whether a stream begins as TLS does."""
    return len(data) >= 3 and data[0] in (CHANGE_CIPHER, ALERT, HANDSHAKE, APPLICATION) and data[1] == 3 and data[2] < 5


def _extensions(body: bytes, at: int) -> dict[int, bytes]:
    found: dict[int, bytes] = {}
    end = min(len(body), at + 2 + int.from_bytes(body[at : at + 2], "big"))
    at += 2
    while at + 4 <= end:
        kind, length = int.from_bytes(body[at : at + 2], "big"), int.from_bytes(body[at + 2 : at + 4], "big")
        found[kind] = body[at + 4 : at + 4 + length]
        at += 4 + length
    return found


def _client_versions(body: bytes) -> tuple[str, ...]:
    at = 34
    at += 1 + (body[at] if at < len(body) else 0)
    at += 2 + int.from_bytes(body[at : at + 2], "big")
    at += 1 + (body[at] if at < len(body) else 0)
    listed = _extensions(body, at).get(_SUPPORTED_VERSIONS, b"")
    codes = [int.from_bytes(listed[i : i + 2], "big") for i in range(1, len(listed) - 1, 2)]
    codes = codes or [int.from_bytes(body[:2], "big")]
    return tuple(VERSIONS[c] for c in codes if c in VERSIONS)


def _server_version(body: bytes) -> tuple[str, int]:
    at = 34 + 1 + body[34]
    cipher = int.from_bytes(body[at : at + 2], "big")
    chosen = _extensions(body, at + 3).get(_SUPPORTED_VERSIONS, body[:2])
    return VERSIONS.get(int.from_bytes(chosen[:2], "big"), "TLS"), cipher


def _certificates(side: int, body: bytes) -> list[CertificateSeen]:
    found: list[CertificateSeen] = []
    at = 3
    while at + 3 <= len(body):
        length = int.from_bytes(body[at : at + 3], "big")
        found.append(_certificate(side, body[at + 3 : at + 3 + length]))
        at += 3 + length
    return found


def _certificate(side: int, der: bytes) -> CertificateSeen:
    from cryptography import x509  # takes a tenth of a second to import, and few sessions are sealed

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            seen = x509.load_der_x509_certificate(der)
            begin, end = seen.not_valid_before_utc, seen.not_valid_after_utc
            subject, issuer = seen.subject.rfc4514_string(), seen.issuer.rfc4514_string()
    except Exception:  # whatever is wrong with it, it was sent and could not be read
        return CertificateSeen(side, "a certificate that cannot be read", "", "", "")
    return CertificateSeen(side, subject, issuer, begin.date().isoformat(), end.date().isoformat())


def expired_at(seen: CertificateSeen, at: float) -> bool:
    """Whether a certificate was outside its dates at a moment (seconds since 1970; 0 is unknown)."""
    if not at or not seen.not_after:
        return False
    day = datetime.fromtimestamp(at, UTC).date().isoformat()
    return not seen.not_before <= day <= seen.not_after
