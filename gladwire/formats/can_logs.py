"""Logs of a CAN bus, read by python-can: candump, ASC, BLF, TRC.

candump: `(1436509052.249713) can0 102#019001...`; ASC: `date Wed Nov 25 ...`, `0.015991 1 102 Rx d 8 01 90 ...`; BLF begins
`LOGG`; TRC: `;$FILEVERSION=1.1`.
"""

from __future__ import annotations

import io
import re
import struct
import tempfile
import zlib
from collections.abc import Callable, Iterable
from datetime import UTC, datetime
from typing import Any

import numpy as np

from gladwire.core.can.log import EXTENDED, CanLog
from gladwire.formats.errors import UnreadableError
from gladwire.formats.frames import EARLIEST, LATEST
from gladwire.formats.opening import Source, read_some
from gladwire.formats.reader import Options, Reader

_MOST_FRAMES = 40_000_000
_CANDUMP = re.compile(rb"^\((\d+\.\d+)\)\s+\S+\s+[0-9A-Fa-f]{3,8}##?")
# What candump prints to a screen, which people keep as well: `(1436509052.249713)  can0  102   [8]  01 90 00`.
_PRINTED = re.compile(r"^\s*\((\d+\.\d+)\)\s+(\S+)\s+([0-9A-Fa-f]{3,8})\s+\[\d+\]\s+((?:[0-9A-Fa-f]{2}\s*)*)")
_ASC = re.compile(rb"^(date |base +(hex|dec)|// version|Begin Triggerblock|internal events)", re.IGNORECASE)
_COLUMNS = 64
# Kind of a container, its packing by zlib, and what it may unpack to: loggers write 128 KiB, some a few MiB.
_CONTAINER, _PACKED, _MOST_CONTAINER = 10, b"\x02\0", 64 * 2**20


def _first_lines(head: bytes) -> list[bytes]:
    return [line.strip() for line in head[:8192].splitlines() if line.strip()][:12]


def _sniff_candump(head: bytes) -> int:
    lines = _first_lines(head)[:3]
    printed = any(_PRINTED.match(line.decode("ascii", "replace")) for line in lines)
    return 92 if printed or any(_CANDUMP.match(line) for line in lines) else 0


def _sniff_asc(head: bytes) -> int:
    hits = sum(1 for line in _first_lines(head) if _ASC.match(line))
    return 91 if hits >= 2 else 0


def _sniff_blf(head: bytes) -> int:
    return 97 if head[:4] == b"LOGG" else 0


def _sniff_trc(head: bytes) -> int:
    return 93 if any(line.startswith(b";$FILEVERSION") for line in _first_lines(head)) or _old_trc(head) else 0


def _old_trc(head: bytes) -> bool:
    lines = _first_lines(head)
    return bool(lines) and lines[0].startswith(b";") and any(b"Message Number" in line for line in lines)


def _reader(kind: str, make: Callable[[Any], Any], binary: bool = False) -> Callable[[Source, Options], CanLog]:
    def read(source: Source, options: Options) -> CanLog:
        """Raises UnreadableError for a log without one whole frame."""
        # python-can closes what it reads; it gets a copy that is unpacked.
        with tempfile.TemporaryFile(prefix="gladwire-") as file:
            with source.open() as stream:
                while part := stream.read(1 << 20):
                    file.write(part)
            file.seek(0)
            if binary:
                _check_containers(file)
                file.seek(0)
                return gather(_opened(make, file), f"can-{kind}")
            with io.TextIOWrapper(file, encoding="utf-8", errors="replace") as text:
                return gather(_opened(make, text), f"can-{kind}")

    return read


def _check_containers(file: Any) -> None:
    """A BLF file packs its frames into containers, of which a library unpacks each at once, whatever comes out.

    Raises UnreadableError for one that unpacks to more than a log's does.
    """
    (size,) = struct.unpack("<4xI", file.read(8).ljust(8, b"\0"))
    file.seek(size)
    while len(head := file.read(16)) == 16 and head[:4] == b"LOBJ":
        length, kind = struct.unpack("<II", head[8:])
        body = read_some(file, min(length - 16, _MOST_CONTAINER)) if kind == _CONTAINER and length > 32 else b""
        if body[:2] == _PACKED and _unpacked(body[16:]) == _MOST_CONTAINER:
            raise UnreadableError(
                f"a container of the log unpacks to {_MOST_CONTAINER // 2**20} MiB or more: no log's does"
            )
        size += max(length, 16) + length % 4
        file.seek(size)


def _unpacked(packed: bytes) -> int:
    try:
        return len(zlib.decompressobj().decompress(packed, _MOST_CONTAINER))
    except zlib.error:  # damaged: the library says so
        return 0


def _opened(make: Callable[[Any], Any], file: Any) -> Any:
    try:
        return make(file)
    except Exception as error:  # a header that breaks off
        raise UnreadableError(f"the log is damaged: {str(error)[:120] or type(error).__name__}") from error


def gather(messages: Iterable[Any], key: str) -> CanLog:
    """Frames of a reader as arrays. What breaks off half-way keeps what came before it, and says so."""
    times: list[float] = []
    ids: list[int] = []
    parts: list[bytes] = []
    buses: set[Any] = set()
    errors = 0
    remarks: list[str] = []
    try:
        for m in messages:
            if m.is_error_frame:
                errors += 1
            elif not m.is_remote_frame:
                times.append(m.timestamp)
                ids.append(m.arbitration_id | EXTENDED if m.is_extended_id else m.arbitration_id)
                parts.append(bytes(m.data))
                buses.add(m.channel)
            if len(times) > _MOST_FRAMES:
                raise UnreadableError(f"more than {_MOST_FRAMES:,} frames; that is beyond one session")
    except UnreadableError:
        raise
    except Exception as error:  # a reader trips over a damaged log in many ways
        if not times:
            raise UnreadableError(f"the log is damaged: {str(error)[:120] or type(error).__name__}") from error
        remarks.append(f"The log is damaged after frame {len(times)}: {str(error)[:120] or type(error).__name__}.")
    if not times:
        raise UnreadableError("the log holds no whole frame" + (f", only {errors} error frames" if errors else ""))
    return _arrays(times, ids, parts, key, errors, len(buses), remarks)


def _arrays(
    times: list[float], ids: list[int], parts: list[bytes], key: str, errors: int, buses: int, remarks: list[str]
) -> CanLog:
    at = np.array(times)
    if np.any(np.diff(at) < 0):
        remarks.append("Frames are out of order; they were sorted by time.")
    order = np.argsort(at, kind="stable")
    lengths = np.array([len(p) for p in parts], dtype=np.uint8)
    width = 8 if int(lengths.max()) <= 8 else _COLUMNS
    data = np.frombuffer(b"".join(p.ljust(width, b"\0") for p in parts), dtype=np.uint8).reshape(-1, width)
    first = float(at[order[0]])
    dated = EARLIEST < first < LATEST
    if buses > 1:
        remarks.append(f"The log holds {buses} buses; they are read as one.")
    return CanLog(
        time_s=at[order] - first,
        ids=np.array(ids, dtype=np.int64)[order],
        lengths=lengths[order],
        data=data[order],
        format=key,
        errors=errors,
        remarks=tuple(remarks),
        recorded_at=datetime.fromtimestamp(first, UTC).isoformat(timespec="seconds") if dated else "",
        first_at=first if dated else 0.0,
    )


def _candump(file: Any) -> Any:
    import can.io  # takes a moment, and only where a log of a bus is at hand

    return can.io.CanutilsLogReader(io.StringIO("".join(_written(line) for line in file)))


def _written(line: str) -> str:
    """A line as candump writes it to a file, however it was printed."""
    seen = _PRINTED.match(line)
    return f"({seen[1]}) {seen[2]} {seen[3]}#{''.join(seen[4].split())}\n" if seen else line


def _asc(file: Any) -> Any:
    import can.io

    return can.io.ASCReader(file, relative_timestamp=False)


def _blf(file: Any) -> Any:
    import can.io

    return can.io.BLFReader(file)


def _trc(file: Any) -> Any:
    import can.io

    return can.io.TRCReader(file)


_WORDS = "a CAN log (candump, ASC, BLF, TRC)"
READERS = (
    Reader("can-log", "CAN log, candump", _sniff_candump, _reader("log", _candump), ("log",), _WORDS),
    Reader("can-asc", "CAN log, ASC", _sniff_asc, _reader("asc", _asc), ("asc",), _WORDS),
    Reader("can-blf", "CAN log, BLF", _sniff_blf, _reader("blf", _blf, binary=True), ("blf",), _WORDS),
    Reader("can-trc", "CAN log, TRC", _sniff_trc, _reader("trc", _trc), ("trc",), _WORDS),
)
