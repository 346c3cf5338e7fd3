"""The simulated line: Ethernet frames with IPv6, UDP and TCP that any reader of frames can take apart."""

from __future__ import annotations

import struct
from dataclasses import dataclass, field

from gladwire.core.plc.frames import Frame

_SYN, _FIN, _RST, _PSH, _ACK = 2, 1, 4, 8, 16
_TCP, _UDP = 6, 17
_ALL_NODES_MAC = bytes.fromhex("333300000001")
_ALL_NODES = bytes.fromhex("ff020000000000000000000000000001")
BROADCAST = b"\xff" * 6


@dataclass(frozen=True)
class Station:
    """One end of the line."""

    mac: bytes

    @property
    def address(self) -> bytes:
        """The link-local address made from the MAC (EUI-64)."""
        flipped = bytes([self.mac[0] ^ 2]) + self.mac[1:3] + b"\xff\xfe" + self.mac[3:]
        return bytes.fromhex("fe80000000000000") + flipped


@dataclass
class Wire:
    """Frames in the order they pass, and the clock they pass on, seconds."""

    time_s: float = 0.0
    frames: list[Frame] = field(default_factory=list)

    def send(self, dst: bytes, src: bytes, kind: int, payload: bytes) -> None:
        data = dst + src + struct.pack(">H", kind) + payload
        self.frames.append(Frame(self.time_s, data + b"\0" * max(0, 60 - len(data))))

    def homeplug(self, dst: bytes, src: bytes, mmtype: int, body: bytes) -> None:
        self.send(dst, src, 0x88E1, b"\x01" + struct.pack("<H", mmtype) + b"\0\0" + body)

    def ipv6(self, src: Station, dst_mac: bytes, dst: bytes, protocol: int, segment: bytes, at: int) -> None:
        """at: where the checksum stands in the segment."""
        pseudo = src.address + dst + struct.pack(">II", len(segment), protocol)
        check = _checksum(pseudo + segment) or 0xFFFF
        segment = segment[:at] + struct.pack(">H", check) + segment[at + 2 :]
        head = struct.pack(">IHBB", 6 << 28, len(segment), protocol, 64)
        self.send(dst_mac, src.mac, 0x86DD, head + src.address + dst + segment)

    def udp(self, src: Station, sport: int, dst: Station | None, dport: int, payload: bytes) -> None:
        """dst: None for everyone on the line."""
        segment = struct.pack(">HHHH", sport, dport, 8 + len(payload), 0) + payload
        to = (dst.mac, dst.address) if dst else (_ALL_NODES_MAC, _ALL_NODES)
        self.ipv6(src, *to, _UDP, segment, 6)


def _checksum(data: bytes) -> int:
    data += b"\0" * (len(data) % 2)
    total: int = sum(struct.unpack(f">{len(data) // 2}H", data))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    return ~total & 0xFFFF


@dataclass
class Line:
    """A TCP connection over the wire: ends[0] is the vehicle. delay_s: of an acknowledgement. usable: it opened."""

    wire: Wire
    ends: tuple[Station, Station]
    ports: tuple[int, int] = (51234, 64109)
    seq: list[int] = field(default_factory=lambda: [0x11223344, 0xFFFFFF00])
    delay_s: float = 0.001
    acknowledges: bool = True
    usable: bool = True

    def segment(self, side: int, flags: int, payload: bytes = b"") -> None:
        head = struct.pack(
            ">HHIIBBHHH",
            self.ports[side],
            self.ports[1 - side],
            self.seq[side],
            self.seq[1 - side] if flags & _ACK else 0,
            0x50,
            flags,
            8192,
            0,
            0,
        )
        src, dst = self.ends[side], self.ends[1 - side]
        self.wire.ipv6(src, dst.mac, dst.address, _TCP, head + payload, 16)
        self.seq[side] = (self.seq[side] + len(payload) + bool(flags & (_SYN | _FIN))) & 0xFFFFFFFF

    def open(self, answered: bool = True) -> None:
        self.segment(0, _SYN)
        if answered:
            self.wire.time_s += self.delay_s
            self.segment(1, _SYN | _ACK)
            self.wire.time_s += self.delay_s
            self.segment(0, _ACK)

    def say(self, side: int, payload: bytes, pieces: int = 1) -> None:
        """Send bytes, in one segment or more, and have them acknowledged."""
        size = -(-len(payload) // pieces)
        for start in range(0, len(payload), size):
            self.segment(side, _PSH | _ACK, payload[start : start + size])
        if self.acknowledges:
            self.wire.time_s += self.delay_s
            self.segment(1 - side, _ACK)

    def close(self, side: int) -> None:
        self.segment(side, _FIN | _ACK)
        self.wire.time_s += self.delay_s
        self.segment(1 - side, _FIN | _ACK)
        self.wire.time_s += self.delay_s
        self.segment(side, _ACK)

    def reset(self, side: int) -> None:
        self.segment(side, _RST | _ACK)
