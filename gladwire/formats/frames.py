"""What readers of frame files share."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from itertools import pairwise

from gladwire.core.plc.frames import LINK_TYPES, Frame, FrameCapture
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source, read_some

LONGEST_FRAME = 256 * 1024
MOST_BYTES = 2 * 2**30
MOST_FRAMES = 20_000_000
TOO_MANY = f"more than {MOST_FRAMES:,} frames; that is beyond one session"
# Seconds since 1970 that can be the moment of a capture: from 1971, when a clock was set at all, to 2200.
EARLIEST, LATEST = 366 * 86400.0, 7.26e9


def whole(source: Source) -> bytes:
    """The whole file. Raises UnreadableError beyond MOST_BYTES."""
    with source.open() as stream:
        data = read_some(stream, MOST_BYTES + 1)
    if len(data) > MOST_BYTES:
        raise UnreadableError(f"more than {MOST_BYTES // 2**30} GiB of frames; that is beyond one session")
    return data


def finished(frames: Sequence[Frame], key: str, remarks: Sequence[str], first_at: float) -> FrameCapture:
    """The capture with what must be said of all its frames. Raises UnreadableError where no link type is known."""
    notes = list(remarks)
    unknown = {f.link for f in frames} - set(LINK_TYPES)
    if unknown and all(f.link in unknown for f in frames):
        raise UnreadableError(
            f"frames of link type {min(unknown)}; Ethernet, Linux cooked, raw IP or loopback was expected"
        )
    if unknown:
        frames = [f for f in frames if f.link not in unknown]
        notes.append(f"Frames of link type {', '.join(map(str, sorted(unknown)))} are passed by.")
    cut = sum(1 for f in frames if f.cut)
    if cut:
        notes.append(f"{cut} of {len(frames)} frames were recorded short: the instrument kept only their beginning.")
    back = sum(1 for a, b in pairwise(frames) if b.time_s < a.time_s - 1e-3)
    if back:
        notes.append(f"Time runs backwards {back} times; frames are taken in the order of their times.")
        frames = sorted(frames, key=lambda f: f.time_s)
        start = frames[0].time_s
        frames = [f._replace(time_s=f.time_s - start) for f in frames]
        first_at += start
    recorded = datetime.fromtimestamp(first_at, UTC).isoformat() if EARLIEST < first_at < LATEST else ""
    return FrameCapture(tuple(frames), key, tuple(notes), recorded, first_at)
