"""WAV: PCM or float samples. Integers are a share of full scale and hold no volts; floats beyond 1 are volts."""

from __future__ import annotations

import io
import warnings

import numpy as np

from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import MAX_SAMPLES, Source, read_some
from gladwire.formats.reader import Options, Reader


def sniff(head: bytes) -> int:
    return 95 if head[:4] in (b"RIFF", b"RIFX", b"RF64") and head[8:12] == b"WAVE" else 0


def read(source: Source, options: Options) -> Recording:
    """Raises UnreadableError for a damaged or too large file."""
    from scipy.io import wavfile  # type: ignore[import-untyped]  # slow to import, and few captures are WAV

    with source.open() as stream:
        content = read_some(stream, 4 * MAX_SAMPLES + 4096)
    if len(content) > 4 * MAX_SAMPLES:
        raise UnreadableError(f"more than {MAX_SAMPLES:,} samples; that is beyond one capture")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            rate, data = wavfile.read(io.BytesIO(content))
    except Exception as error:  # the library raises many kinds on damaged headers
        raise UnreadableError(f"the WAV file is damaged: {error}") from error
    if data.size < 4 or rate <= 0:
        raise UnreadableError("the WAV file holds no samples")
    table = data[:, None] if data.ndim == 1 else data
    remarks = [] if rate >= 10_000 else [f"{rate} samples per second are too few for a 1 kHz pilot's duty."]
    unit, factor = _unit_and_factor(table)
    waves = tuple(
        Waveform(f"Channel {i + 1}", (table[:, i].astype(np.float32) - np.float32(factor[1])) * np.float32(factor[0]),
                 float(rate), 0.0, unit)
        for i in range(table.shape[1])
    )  # fmt: skip
    return Recording(waves, READER.key, tuple(remarks))


def _unit_and_factor(table: np.ndarray) -> tuple[str, tuple[float, float]]:
    """(unit, (factor, zero)) that brings integers to -1..1."""
    if table.dtype.kind == "f":
        return ("V" if float(np.nanmax(np.abs(table))) > 1.5 else "full_scale"), (1.0, 0.0)
    if table.dtype == np.uint8:
        return "full_scale", (1 / 128.0, 128.0)
    return "full_scale", (1.0 / float(np.iinfo(table.dtype).max), 0.0)


READER = Reader(key="wav", title="WAV sound file", sniff=sniff, read=read, endings=("wav",), words="WAV")
