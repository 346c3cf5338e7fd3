"""NumPy .npz: one-dimensional arrays of one length, and a time array or a scalar rate or interval."""

from __future__ import annotations

import io
import zipfile

import numpy as np
from numpy.typing import NDArray

from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import MAX_SAMPLES, Source, read_some
from gladwire.formats.reader import Options, Reader
from gladwire.formats.timebase import Timebase

_TIME = ("t", "time", "time_s", "times")
_RATE = ("rate", "rate_hz", "fs", "sample_rate", "samplerate")
_INTERVAL = ("dt", "interval", "interval_s", "sample_interval")
_MAX_BYTES = 8 * MAX_SAMPLES


def sniff(head: bytes) -> int:
    return 90 if head[:4] == b"PK\x03\x04" and b".npy" in head[:4096] else 0


def read(source: Source, options: Options) -> Recording:
    """Raises UnreadableError for a damaged, hostile or ambiguous archive. Pickled objects are never loaded."""
    with source.open() as stream:
        content = read_some(stream, _MAX_BYTES)
    arrays = _arrays(content)
    vectors = {name: a for name, a in arrays.items() if a.ndim == 1 and len(a) > 3 and a.dtype.kind in "fiu"}
    scalars = {name.lower(): float(a) for name, a in arrays.items() if a.size == 1 and a.dtype.kind in "fiu"}
    time = next((name for name in vectors if name.lower() in _TIME), None)
    channels = {name: a for name, a in vectors.items() if name != time}
    if not channels:
        raise UnreadableError("the archive holds no one-dimensional array of samples")
    lengths = {len(a) for a in vectors.values()}
    if len(lengths) > 1:
        raise UnreadableError(
            f"the arrays differ in length ({', '.join(map(str, sorted(lengths)))}); one length was expected"
        )
    rate_hz, start_s, remarks = _rate(vectors.get(time) if time else None, scalars, options)
    waves = tuple(
        Waveform(name, np.ascontiguousarray(a, dtype=np.float32), rate_hz, start_s, "V") for name, a in channels.items()
    )
    return Recording(waves, READER.key, remarks)


def _arrays(content: bytes) -> dict[str, NDArray[np.generic]]:
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            if sum(entry.file_size for entry in archive.infolist()) > _MAX_BYTES:
                raise UnreadableError(
                    f"unpacked it is larger than {_MAX_BYTES // 2**20} MiB; that is beyond one capture"
                )
        with np.load(io.BytesIO(content), allow_pickle=False) as archive:
            return {name: archive[name] for name in archive.files}
    except (UnreadableError, MemoryError):
        raise
    except Exception as error:  # the libraries raise many kinds on damaged headers
        # Their own words may hold the file's bytes.
        raise UnreadableError("the NumPy archive is damaged or holds objects instead of numbers") from error


def _rate(
    times: NDArray[np.generic] | None, scalars: dict[str, float], options: Options
) -> tuple[float, float, tuple[str, ...]]:
    if times is not None:
        base = Timebase()
        base.add(times.astype(np.float64), 0, None)
        return base.settle(len(times))
    interval = options.interval_s or next((scalars[name] for name in _INTERVAL if name in scalars), None)
    rate = next((scalars[name] for name in _RATE if name in scalars), None)
    if not interval and not rate:
        hint = "Give the interval between samples and it can be read."
        raise UnreadableError("there is no time array and no rate in the archive", hint=hint)
    return (1.0 / interval if interval else float(rate or 1.0)), scalars.get("start_s", scalars.get("t0", 0.0)), ()


READER = Reader(key="npz", title="NumPy archive", sniff=sniff, read=read, endings=("npz",), words="NumPy .npz")
