"""pcapng: sections of either byte order, several interfaces, options; and a writer of frames of a chosen span.

A section header is `0a 0d 0d 0a`, its length, `4d 3c 2b 1a` in the section's byte order; every block repeats its length at
its end.
"""

from __future__ import annotations

import struct
from collections.abc import Iterable
from dataclasses import dataclass, field, replace

from gladwire.core.plc.frames import Frame, FrameCapture
from gladwire.formats.errors import UnreadableError
from gladwire.formats.frames import LONGEST_FRAME, MOST_FRAMES, TOO_MANY, finished, whole
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options, Reader

_SECTION = b"\x0a\x0d\x0d\x0a"
_ORDERS = {b"\x4d\x3c\x2b\x1a": "<", b"\x1a\x2b\x3c\x4d": ">"}
_INTERFACE, _PACKET, _SIMPLE, _ENHANCED, _SECRETS = 1, 2, 3, 6, 10
_KEYLOG = 0x544C534B
_TS_RESOLUTION, _TS_OFFSET, _COMMENT = 9, 14, 1
# The heads that every frame has, made ready for either byte order.
_TWO = {order: struct.Struct(order + "II") for order in "<>"}
_FIVE = {order: struct.Struct(order + "IIIII") for order in "<>"}
_LONGEST_BLOCK = 16 * 2**20


@dataclass
class _Interface:
    link: int
    snap: int
    tick: float = 1e-6
    offset_s: int = 0


@dataclass
class _Reading:
    """The state of one pass through a file."""

    order: str = "<"
    interfaces: list[_Interface] = field(default_factory=list)
    frames: list[Frame] = field(default_factory=list)
    remarks: list[str] = field(default_factory=list)
    comments: list[str] = field(default_factory=list)
    keylog: str = ""
    first: float | None = None
    before: int = 0  # interfaces of sections that came before

    def plain(self, data: bytes, at: int, length: int) -> bool:
        """Takes a frame without options, as nearly all are, straight from the file; False for any other block."""
        number, high, low, kept, original = _FIVE[self.order].unpack_from(data, at + 8)
        if number >= len(self.interfaces) or length != 32 + (kept + 3 & ~3) or self.first is None:
            return False
        interface = self.interfaces[number]
        when = interface.offset_s + (high << 32 | low) * interface.tick
        cut = original - kept if original > kept else 0
        frame = Frame(when - self.first, data[at + 28 : at + 28 + kept], interface.link, cut, self.before + number)
        self.frames.append(frame)
        return True

    def block(self, kind: int, body: bytes) -> None:
        if kind == _INTERFACE:
            self.interfaces.append(self.interface(body))
        elif kind == _ENHANCED:
            number, high, low, kept, original = struct.unpack_from(self.order + "IIIII", body)
            self.comments += [
                v.decode("utf-8", "replace") for c, v in self.options(body[20 + -(-kept // 4) * 4 :]) if c == 1
            ]
            self.frame(number, high << 32 | low, body[20 : 20 + kept], kept, original)
        elif kind == _PACKET:
            number, _drops, high, low, kept, original = struct.unpack_from(self.order + "HHIIII", body)
            self.frame(number, high << 32 | low, body[20 : 20 + kept], kept, original)
        elif kind == _SIMPLE:
            (original,) = struct.unpack_from(self.order + "I", body)
            kept = min(original, self.interfaces[0].snap or original, len(body) - 4) if self.interfaces else 0
            self.frame(0, None, body[4 : 4 + kept], kept, original)
        elif kind == _SECRETS:
            what, length = struct.unpack_from(self.order + "II", body)
            if what == _KEYLOG:
                self.keylog += body[8 : 8 + length].decode("ascii", "replace") + "\n"

    def interface(self, body: bytes) -> _Interface:
        link, _, snap = struct.unpack_from(self.order + "HHI", body)
        made = _Interface(link, snap)
        for code, value in self.options(body[8:]):
            if code == _TS_RESOLUTION and value:
                made.tick = 2.0 ** -(value[0] & 0x7F) if value[0] & 0x80 else 10.0 ** -value[0]
            elif code == _TS_OFFSET and len(value) == 8:
                (made.offset_s,) = struct.unpack(self.order + "q", value)
        return made

    def options(self, data: bytes) -> Iterable[tuple[int, bytes]]:
        at = 0
        while at + 4 <= len(data):
            code, length = struct.unpack_from(self.order + "HH", data, at)
            if code == 0:
                return
            yield code, data[at + 4 : at + 4 + length]
            at += 4 + -(-length // 4) * 4

    def frame(self, number: int, ticks: int | None, data: bytes, kept: int, original: int) -> None:
        if number >= len(self.interfaces):
            raise struct.error(f"a frame of interface {number}, which was never described")
        if len(data) < kept or kept > LONGEST_FRAME:
            raise struct.error("a frame longer than its block")
        interface = self.interfaces[number]
        if ticks is None:
            when = (self.first or 0.0) + (self.frames[-1].time_s if self.frames else 0.0)
        else:
            when = interface.offset_s + ticks * interface.tick
        if self.first is None:
            self.first = when
        cut = max(original - kept, 0)
        self.frames.append(Frame(when - self.first, data, interface.link, cut, self.before + number))


def sniff(head: bytes) -> int:
    return 96 if head[:4] == _SECTION and head[8:12] in _ORDERS else 0


def read(source: Source, options: Options) -> FrameCapture:
    """Raises UnreadableError for a file without one whole frame."""
    data = whole(source)
    state = _Reading()
    at, size = 0, len(data)
    while at + 12 <= size:
        if data[at : at + 4] == _SECTION:
            state.order = _ORDERS.get(data[at + 8 : at + 12], state.order)
            state.before += len(state.interfaces)
            state.interfaces = []
        kind, length = _TWO[state.order].unpack_from(data, at)
        if length < 12 or length % 4 or length > _LONGEST_BLOCK:
            state.remarks.append(f"The file is damaged from byte {at} on.")
            break
        if at + length > size:
            state.remarks.append("The last block is cut off.")
            break
        if len(state.frames) > MOST_FRAMES:
            raise UnreadableError(TOO_MANY)
        try:
            if kind == _ENHANCED and state.plain(data, at, length):
                at += length
                continue
            state.block(kind, data[at + 8 : at + length - 4])
        except struct.error as error:
            state.remarks.append(f"A block at byte {at} is passed by: {error}.")
        at += length
    if not state.frames:
        raise UnreadableError("the file holds no whole frame")
    if state.comments:
        first_comments = "; ".join(state.comments[:3])
        state.remarks.append(f"Comments in the file: {first_comments[:300]}")
    if state.keylog:
        state.remarks.append("The file carries a key log of its own: whoever has the file can read what was sealed.")
    return replace(finished(state.frames, READER.key, state.remarks, state.first or 0.0), keylog=state.keylog)


def write(frames: Iterable[Frame], first_at: float, comment: str = "") -> bytes:
    """Frames as a pcapng file, times in microseconds. first_at: seconds since 1970 of time 0."""
    out = [
        _block(
            0x0A0D0D0A, struct.pack("<IHHq", 0x1A2B3C4D, 1, 0, -1) + (_option(_COMMENT, comment) if comment else b"")
        )
    ]
    numbers: dict[tuple[int, int], int] = {}
    packets = []
    for frame in frames:
        key = (frame.interface, frame.link)
        if key not in numbers:
            numbers[key] = len(numbers)
            out.append(_block(_INTERFACE, struct.pack("<HHI", frame.link, 0, 0)))
        ticks = round((first_at + frame.time_s) * 1e6)
        kept = len(frame.data)
        head = struct.pack("<IIIII", numbers[key], ticks >> 32, ticks & 0xFFFFFFFF, kept, kept + frame.cut)
        packets.append(_block(_ENHANCED, head + frame.data + b"\0" * (-kept % 4)))
    return b"".join(out + packets)


def _block(kind: int, body: bytes) -> bytes:
    length = struct.pack("<I", len(body) + 12)
    return struct.pack("<I", kind) + length + body + length


def _option(code: int, text: str) -> bytes:
    value = text.encode()[:65000]
    return struct.pack("<HH", code, len(value)) + value + b"\0" * (-len(value) % 4) + struct.pack("<HH", 0, 0)


READER = Reader(
    key="pcapng", title="Frames, pcapng", sniff=sniff, read=read, endings=("pcapng",), words="pcap or pcapng"
)
