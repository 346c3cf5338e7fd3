"""pcap: both byte orders, microseconds and nanoseconds. Magic `d4 c3 b2 a1` is little-endian with microseconds."""

from __future__ import annotations

import struct

from gladwire.core.plc.frames import Frame, FrameCapture
from gladwire.formats.errors import UnreadableError
from gladwire.formats.frames import LONGEST_FRAME, MOST_FRAMES, TOO_MANY, finished, whole
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options, Reader

_KINDS = {
    b"\xd4\xc3\xb2\xa1": ("<", 1e-6),
    b"\xa1\xb2\xc3\xd4": (">", 1e-6),
    b"\x4d\x3c\xb2\xa1": ("<", 1e-9),
    b"\xa1\xb2\x3c\x4d": (">", 1e-9),
}


def sniff(head: bytes) -> int:
    return 95 if head[:4] in _KINDS and len(head) >= 24 else 0


def read(source: Source, options: Options) -> FrameCapture:
    """Raises UnreadableError for a file without one whole frame or of a link type that is none of ours."""
    data = whole(source)
    remarks: list[str] = []
    if not sniff(data[:24]):
        raise UnreadableError("the file does not begin as pcap does")
    order, tick = _KINDS[data[:4]]
    # The upper bits of the link type may hold the length of a check sequence.
    link = struct.unpack_from(order + "I", data, 20)[0] & 0x03FFFFFF
    head = struct.Struct(order + "IIII")
    at, size = 24, len(data)
    frames: list[Frame] = []
    first: float | None = None
    while at + 16 <= size:
        seconds, part, kept, original = head.unpack_from(data, at)
        if kept > LONGEST_FRAME:
            remarks.append(f"Frame {len(frames) + 1} claims {kept} bytes: the file is damaged from there on.")
            break
        at += 16
        if at + kept > size:
            remarks.append("The last frame is cut off.")
            break
        when = seconds + part * tick
        if first is None:
            first = when
        frames.append(Frame(when - first, data[at : at + kept], link, max(original - kept, 0)))
        if len(frames) > MOST_FRAMES:
            raise UnreadableError(TOO_MANY)
        at += kept
    else:
        if at < size:
            remarks.append("The last frame is cut off.")
    if not frames:
        raise UnreadableError("the file holds no whole frame")
    return finished(frames, READER.key, remarks, first or 0.0)


READER = Reader(
    key="pcap", title="Frames, pcap", sniff=sniff, read=read, endings=("pcap", "cap"), words="pcap or pcapng"
)
