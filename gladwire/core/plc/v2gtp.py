"""V2GTP: the envelope of every V2G message, and SDP inside it.

`01 fe 80 01 00 00 00 15 …`: version 1, its inverse, payload type 8001 (EXI), 21 bytes follow.
Source: ISO 15118-2:2013, 7.8.3 and 7.10.1, ISO 15118-20, from memory.
"""

from __future__ import annotations

import ipaddress
import struct
from dataclasses import dataclass, field
from typing import NamedTuple

HEAD = struct.Struct(">BBHI")
MARK = b"\x01\xfe"
EXI, SDP_REQUEST, SDP_RESPONSE = 0x8001, 0x9000, 0x9001
SDP_PORT = 15118
PAYLOAD_TYPES = {
    0x8001: "EXI message",
    0x8002: "ISO 15118-20 main",
    0x8003: "ISO 15118-20 AC",
    0x8004: "ISO 15118-20 DC",
    0x8005: "ISO 15118-20 ACDP",
    0x8006: "ISO 15118-20 WPT",
    0x8101: "ISO 15118-20 schedule renegotiation",
    0x8102: "ISO 15118-20 metering confirmation",
    SDP_REQUEST: "SDP request",
    SDP_RESPONSE: "SDP response",
    0x9002: "SDP request, wireless",
    0x9003: "SDP response, wireless",
}
LONGEST_PAYLOAD = 1 << 20
SECURED, OPEN = 0x00, 0x10


class Parcel(NamedTuple):
    """One payload. time_s, frame: where it became whole. lost: bytes missing before it. whole: all of it was there."""

    time_s: float
    frame: int
    kind: int
    payload: bytes
    lost: int
    whole: bool = True


@dataclass(slots=True)
class Splitter:
    """Cuts one direction of a stream into payloads; finds the next envelope again after a hole or a start in the middle."""

    buffer: bytearray = field(default_factory=bytearray)
    lost: int = 0
    skipped: int = 0
    time_s: float = 0.0
    frame: int = 0
    found: bool = False

    def feed(self, time_s: float, frame: int, data: bytes, lost: int) -> list[Parcel]:
        """Payloads that became whole with this piece."""
        parcels: list[Parcel] = []
        if lost:
            parcels += self.rest()
            self.lost += lost
        self.time_s, self.frame = time_s, frame
        if self.buffer:
            self.buffer += data
            at = self._cut(self.buffer, parcels)
            del self.buffer[:at]
        else:
            at = self._cut(data, parcels)
            self.buffer += memoryview(data)[at:]
        return parcels

    def _cut(self, buffer: bytes | bytearray, parcels: list[Parcel]) -> int:
        """Adds what is whole to parcels; returns how many bytes are done with. Linear, whatever the bytes say."""
        at = 0
        while len(buffer) - at >= 8:
            version, inverse, kind, length = HEAD.unpack_from(buffer, at)
            if version != 1 or inverse != 0xFE or kind not in PAYLOAD_TYPES or length > LONGEST_PAYLOAD:
                mark = buffer.find(MARK, at + 1)
                dropped = (mark if mark > 0 else len(buffer) - 7) - at
                self.skipped += dropped
                self.lost += dropped
                at += dropped
                continue
            if len(buffer) - at < 8 + length:
                break
            parcels.append(Parcel(self.time_s, self.frame, kind, bytes(buffer[at + 8 : at + 8 + length]), self.lost))
            self.found, self.lost = True, 0
            at += 8 + length
        return at

    def rest(self) -> list[Parcel]:
        """A payload that began and never became whole."""
        buffer, self.buffer = bytes(self.buffer), bytearray()
        if len(buffer) < 9 or buffer[:2] != MARK:
            return []
        _, _, kind, _ = HEAD.unpack_from(buffer)
        if kind not in PAYLOAD_TYPES:
            return []
        return [Parcel(self.time_s, self.frame, kind, buffer[8:], self.lost, whole=False)]


class Sdp(NamedTuple):
    """A discovery message. address, port: of the post, in an answer. tls: asked for, or offered."""

    request: bool
    address: str
    port: int
    tls: bool
    tcp: bool = True


def read_sdp(data: bytes) -> Sdp | None:
    """An SDP message from a datagram's payload; None where it is none."""
    if len(data) < 8:
        return None
    version, inverse, kind, length = HEAD.unpack_from(data)
    body = data[8 : 8 + length]
    if (version, inverse) != (1, 0xFE):
        return None
    if kind == SDP_REQUEST and len(body) >= 2:
        return Sdp(True, "", 0, body[0] == SECURED, body[1] == 0)
    if kind == SDP_RESPONSE and len(body) >= 20:
        port = int.from_bytes(body[16:18], "big")
        return Sdp(False, str(ipaddress.IPv6Address(body[:16])), port, body[18] == SECURED, body[19] == 0)
    return None
