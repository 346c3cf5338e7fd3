"""TCP put together again: bytes of each direction in order, with what was lost, and how the connection ended.

Retransmissions and overlaps are trimmed, segments out of order wait, and a gap that the other side has acknowledged but
the capture never showed is given up: the stream goes on behind it, marked as a hole.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

from gladwire.core.plc.packets import ACK, FIN, RST, SYN, TcpSegment

_HALF = 1 << 31
_WRAP = 1 << 32
# Segments that may wait for an earlier one before the gap counts as lost to the capture.
_MOST_WAITING = 256


class StreamPiece(NamedTuple):
    """Bytes of one direction in order. side: of the end that sent them. lost: bytes missing right before them."""

    side: int
    time_s: float
    frame: int
    data: bytes
    lost: int


class Ending(NamedTuple):
    """How a connection ended. by: index of the end that did it, 0 the one that opened."""

    time_s: float
    by: int
    kind: str  # "fin" or "rst"


@dataclass(slots=True)
class Half:
    """One direction: what the end `side` sends."""

    side: int
    next_seq: int | None = None
    waiting: dict[int, TcpSegment] = field(default_factory=dict)
    lost: int = 0
    holes: int = 0
    repeated: int = 0
    bytes_in_order: int = 0
    acked: int | None = None

    @property
    def unacknowledged(self) -> bool:
        """Whether the other end acknowledged some of it and never the last."""
        return self.acked is not None and self.next_seq is not None and _distance(self.acked, self.next_seq) > 0


@dataclass(slots=True)
class TcpConnection:
    """Two ends that talk. ends[0] opened it, or spoke first where the opening was not captured."""

    ends: tuple[tuple[bytes, int], tuple[bytes, int]]
    macs: tuple[bytes, bytes]
    start_s: float
    opened: bool
    answered: bool = False
    end_s: float = 0.0
    halves: tuple[Half, Half] = field(default_factory=lambda: (Half(0), Half(1)))
    endings: list[Ending] = field(default_factory=list)
    initial_seq: int = 0

    def feed(self, s: TcpSegment) -> list[StreamPiece]:
        """Bytes that are now in order, of either side: an acknowledgement may free what the other one sent."""
        self.end_s = s.time_s
        side = 0 if s.src == self.ends[0] else 1
        half = self.halves[side]
        if s.flags & (SYN | RST | FIN):
            self._mark(s, side, half)
        pieces: list[StreamPiece] = []
        if s.payload:
            if half.next_seq is None:
                half.next_seq = s.seq
            if s.seq == half.next_seq and not half.waiting:
                half.next_seq = (s.seq + len(s.payload)) & 0xFFFFFFFF
                pieces.append(StreamPiece(side, s.time_s, s.frame, s.payload, 0))
            else:
                self._out_of_order(s, half, pieces)
        if s.flags & ACK:
            other = self.halves[1 - side]
            if other.acked is None or _distance(other.acked, s.ack) > 0:
                other.acked = s.ack
            if other.waiting:
                self._acknowledged(s, other, pieces)
        return pieces

    def _mark(self, s: TcpSegment, side: int, half: Half) -> None:
        if s.flags & SYN:
            half.next_seq = (s.seq + 1) & 0xFFFFFFFF
            self.answered = self.answered or side == 1
        if s.flags & RST and not any(e.kind == "rst" for e in self.endings):
            self.endings.append(Ending(s.time_s, side, "rst"))
        elif s.flags & FIN and not any(e.by == side and e.kind == "fin" for e in self.endings):
            self.endings.append(Ending(s.time_s, side, "fin"))

    def _out_of_order(self, s: TcpSegment, half: Half, pieces: list[StreamPiece]) -> None:
        assert half.next_seq is not None
        ahead = _distance(half.next_seq, s.seq)
        if ahead + len(s.payload) <= 0:
            half.repeated += 1
            return
        if ahead < 0:
            half.repeated += 1
        kept = half.waiting.get(s.seq)
        if kept is None or len(kept.payload) < len(s.payload):
            half.waiting[s.seq] = s
        self._drain(half, pieces)
        if len(half.waiting) > _MOST_WAITING:
            self.give_up(half, pieces)

    def _drain(self, half: Half, pieces: list[StreamPiece], lost: int = 0) -> None:
        while half.waiting:
            assert half.next_seq is not None
            start = half.next_seq
            seq = min(half.waiting, key=lambda q: _distance(start, q))
            ahead = _distance(start, seq)
            if ahead > 0:
                return
            s = half.waiting.pop(seq)
            data = s.payload[-ahead:] if ahead else s.payload
            if data and ahead + len(s.payload) > 0:
                pieces.append(StreamPiece(half.side, s.time_s, s.frame, data, lost))
                half.next_seq = (start + len(data)) & 0xFFFFFFFF
                lost = 0

    def _acknowledged(self, s: TcpSegment, half: Half, pieces: list[StreamPiece]) -> None:
        """The other side has these bytes; if the capture has not, it never will."""
        assert half.next_seq is not None
        nearest = min(half.waiting, key=lambda q: _distance(half.next_seq or 0, q))
        if _distance(half.next_seq, s.ack) >= _distance(half.next_seq, nearest) + len(half.waiting[nearest].payload):
            self.give_up(half, pieces)

    def give_up(self, half: Half, pieces: list[StreamPiece]) -> None:
        """Goes on behind the first gap."""
        if not half.waiting or half.next_seq is None:
            return
        start = half.next_seq
        seq = min(half.waiting, key=lambda q: _distance(start, q))
        lost = _distance(start, seq)
        if lost > 0:
            half.lost += lost
            half.holes += 1
            half.next_seq = seq
        self._drain(half, pieces, max(lost, 0))

    def finish(self) -> list[StreamPiece]:
        """What still waits when the capture ends."""
        rest: list[StreamPiece] = []
        for half in self.halves:
            while half.waiting:
                self.give_up(half, rest)
        return rest


def _distance(a: int, b: int) -> int:
    """From sequence number a to b, across the wrap."""
    return ((b - a + _HALF) % _WRAP) - _HALF


@dataclass(slots=True)
class Reassembly:
    """All connections of a capture."""

    connections: list[TcpConnection] = field(default_factory=list)
    current: dict[tuple[tuple[bytes, int], tuple[bytes, int]], TcpConnection] = field(default_factory=dict)

    def connection_of(self, s: TcpSegment) -> TcpConnection:
        """The connection of a segment; a new SYN on old ports is a new one."""
        found = self.current.get((s.src, s.dst))
        if found is None or self._anew(found, s):
            opens_other_way = s.flags & (SYN | ACK) == SYN | ACK
            ends = (s.dst, s.src) if opens_other_way else (s.src, s.dst)
            first = (s.ack - 1) & 0xFFFFFFFF if opens_other_way else s.seq
            macs = (s.dst_mac, s.src_mac) if opens_other_way else (s.src_mac, s.dst_mac)
            found = TcpConnection(ends, macs, s.time_s, bool(s.flags & SYN), initial_seq=first)
            self.connections.append(found)
            self.current[(s.src, s.dst)] = self.current[(s.dst, s.src)] = found
        return found

    @staticmethod
    def _anew(found: TcpConnection, s: TcpSegment) -> bool:
        if s.flags & (SYN | ACK) != SYN:
            return False
        again = found.opened and found.initial_seq == s.seq and s.src == found.ends[0]
        return bool(found.endings) or not again
