"""The demo's capture files: simulated lanes written the way instruments of different makers write theirs."""

from __future__ import annotations

import gzip
import io
from collections.abc import Sequence

import numpy as np
import polars as pl

from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.formats import vcd


def table(waves: Sequence[Waveform], names: Sequence[str] = (), separator: str = ",", recorded_at: str = "") -> bytes:
    """A scope's or logger's table: time and one column a channel, cut to the shortest. recorded_at heads the file."""
    count = min(len(w.samples) for w in waves)
    titles = names or [f"{w.name} ({w.unit})" for w in waves]
    times = np.round(waves[0].start_s + np.arange(count) / waves[0].rate_hz, 7)
    columns = {t: np.round(w.samples[:count].astype(np.float64), 3) for t, w in zip(titles, waves, strict=True)}
    text = io.BytesIO()
    pl.DataFrame({"Time (s)": times, **columns}).write_csv(text, separator=separator)
    head = f"Date,{recorded_at}\n\n".encode() if recorded_at else b""
    return head + text.getvalue()


def decimal_commas(wave: Waveform) -> bytes:
    """As an instrument set to a language with decimal commas writes it."""
    return table([wave], ["Kanal A [V]"], ";").replace(b"Time (s)", b"Zeit [s]").replace(b".", b",")


def with_preamble(wave: Waveform) -> bytes:
    """One column of volts under a preamble that holds the interval."""
    head = f"Recorder,harbour bench\nSample Interval,{1 / wave.rate_hz:.6e},s\nVertical Units,V\n\nCH1\n".encode()
    text = io.BytesIO()
    values = np.round(wave.samples.astype(np.float64), 2)
    pl.DataFrame({"CH1": values}).write_csv(text, include_header=False)
    return head + text.getvalue()


def packed(content: bytes) -> bytes:
    return gzip.compress(content, 3, mtime=0)


def archive(wave: Waveform) -> bytes:
    content = io.BytesIO()
    np.savez_compressed(content, CP=wave.samples, rate_hz=np.float64(wave.rate_hz))
    return content.getvalue()


def logic(waves: Sequence[Waveform], recorded_at: str = "") -> bytes:
    """Two-level lines as a logic capture."""
    return vcd.write(Recording(tuple(waves), "demo", (), recorded_at))
