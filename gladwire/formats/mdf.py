"""ASAM MDF 4: recorded by vehicle and bench loggers. Read where the optional library is installed, named where it is not."""

from __future__ import annotations

import importlib
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from gladwire.core.can.log import CanLog
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.formats.can_logs import gather
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import MAX_SAMPLES, Source
from gladwire.formats.reader import Options, Reader
from gladwire.formats.timebase import Timebase

_MOST_BYTES = 4 * 2**30
MISSING = (
    "this is an ASAM MDF recording; reading it needs the optional library asammdf (about 230 MB), which is not installed "
    "here. Install it beside the application with “var/venv/bin/pip install asammdf”, or export the recording as CSV"
)
_UNITS = {"V": "V", "A": "A", "Ω": "ohm", "ohm": "ohm", "Ohm": "ohm"}


def sniff(head: bytes) -> int:
    return 95 if head[:8] in (b"MDF     ", b"UnFinMF ") else 0


def read(source: Source, options: Options) -> Recording | CanLog:
    """The frames of a bus where the recording logs one, else the channel group with the most samples; its own master is the
    clock. Raises UnreadableError."""
    try:
        library = importlib.import_module("asammdf")
    except ImportError as error:
        raise UnreadableError(MISSING) from error
    with tempfile.TemporaryDirectory(prefix="gladwire-") as folder:
        path = Path(folder) / "recording.mf4"
        with source.open() as stream, path.open("wb") as file:
            while part := stream.read(1 << 20):
                file.write(part)
                if file.tell() > _MOST_BYTES:
                    raise UnreadableError(
                        f"the recording is larger than {_MOST_BYTES // 2**30} GiB; that is beyond one capture"
                    )
        return _bus(library, path) or _recording(library, path)


def _bus(library: Any, path: Path) -> CanLog | None:
    """A recording that logs frames of a bus; None for any other."""
    try:
        with library.MDF(str(path)) as mdf:
            logs = bool(mdf.bus_logging_map.get("CAN"))
    except Exception:  # damaged: told by the reading of its channels
        return None
    if not logs:
        return None
    import can.io

    with can.io.MF4Reader(str(path)) as frames:
        return gather(frames, READER.key)


def _recording(library: Any, path: Path) -> Recording:
    try:
        with library.MDF(str(path)) as mdf:
            signals = _largest_group(mdf)
            started = getattr(mdf.header, "start_time", None)
            recorded_at = started.isoformat(sep=" ") if started is not None else ""
    except UnreadableError:
        raise
    except Exception as error:  # the library raises whatever its parts raise on a damaged file
        raise UnreadableError(f"the MDF recording is damaged or of a kind that cannot be read: {error}") from error
    base = Timebase()
    base.add(np.asarray(signals[0].timestamps, np.float64), 0, None)
    rate_hz, start_s, remarks = base.settle(len(signals[0].timestamps))
    channels = tuple(
        Waveform(
            s.name, np.ascontiguousarray(s.samples, dtype=np.float32), rate_hz, start_s, _UNITS.get(s.unit, s.unit)
        )
        for s in signals
    )
    return Recording(channels, READER.key, remarks, recorded_at)


def _largest_group(mdf: Any) -> Sequence[Any]:
    """Numeric one-dimensional signals of the group with the most samples."""
    best: list[Any] = []
    for number in range(len(mdf.groups)):
        names = [(channel.name, number, index) for index, channel in enumerate(mdf.groups[number].channels)]
        masters = set(mdf.masters_db.items())
        wanted = [(n, g, i) for n, g, i in names if (g, i) not in masters]
        signals = (
            [s for s in mdf.select(wanted) if s.samples.ndim == 1 and s.samples.dtype.kind in "fiub"] if wanted else []
        )
        if signals and (not best or len(signals[0].samples) > len(best[0].samples)):
            best = signals
    if not best:
        raise UnreadableError("the MDF recording holds no numeric signal")
    if len(best[0].samples) > MAX_SAMPLES:
        raise UnreadableError("the MDF recording holds more samples than one capture has")
    return best


READER = Reader(key="mdf", title="ASAM MDF 4", sniff=sniff, read=read, endings=("mf4", "mdf"), words="MDF 4")
