"""Signals out of frames, all frames of a log at once."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gladwire.core.can.log import CanLog
from gladwire.core.can.names import MessageName, Names, Signal
from gladwire.core.signal.waveform import Floats


class Track(NamedTuple):
    """One signal's course. time_s, values: shape (n,), as sent. rows: which frames of the log."""

    message: MessageName
    signal: Signal
    time_s: Floats
    values: Floats

    @property
    def name(self) -> str:
        return f"{self.message.name}.{self.signal.name}"


def decode(log: CanLog, names: Names) -> list[Track]:
    """Every named signal of a log that was sent at least once. Frames too short for a signal are passed by."""
    found: list[Track] = []
    order = np.argsort(log.ids, kind="stable")
    ids = log.ids[order]
    for message in names.messages:
        start, end = np.searchsorted(ids, message.key, "left"), np.searchsorted(ids, message.key, "right")
        if start == end:
            continue
        rows = np.sort(order[start:end])
        found += _tracks(log, message, rows)
    return found


def _tracks(log: CanLog, message: MessageName, rows: NDArray[np.int64]) -> list[Track]:
    bits = np.unpackbits(log.data[rows], axis=1, bitorder="little")
    lengths, times = log.lengths[rows], log.time_s[rows]
    by_name = {s.name: s for s in message.signals}
    found = []
    for signal in message.signals:
        if signal.bytes_needed * 8 > bits.shape[1]:
            continue
        sent = lengths >= signal.bytes_needed
        if signal.multiplexer and signal.multiplexer in by_name:
            sent = sent & np.isin(_raw(bits, by_name[signal.multiplexer]), signal.only_for)
        if sent.any():
            values = physical(bits if sent.all() else bits[sent], signal)
            found.append(Track(message, signal, times if sent.all() else times[sent], values))
    return found


def _raw(bits: NDArray[np.uint8], signal: Signal) -> NDArray[np.uint64]:
    """The signal's bits as an unsigned number, shape (n,)."""
    packed = np.packbits(bits[:, list(signal.bits)], axis=1, bitorder="little")
    whole = np.zeros((len(packed), 8), dtype=np.uint8)
    whole[:, : packed.shape[1]] = packed
    return whole.view("<u8")[:, 0]


def physical(bits: NDArray[np.uint8], signal: Signal) -> Floats:
    """Values in the signal's unit, shape (n,). bits: shape (n, 8 × bytes), bit 0 of byte 0 first."""
    raw = _raw(bits, signal)
    size = len(signal.bits)
    if signal.number == "float":
        plain = raw.astype("<u4").view("<f4") if size == 32 else raw.view("<f8")
        values = plain.astype(np.float64)
    elif signal.number == "signed":
        shift = np.uint64(64 - size)
        values = ((raw << shift).view(np.int64) >> np.int64(64 - size)).astype(np.float64)
    else:
        values = raw.astype(np.float64)
    return values * signal.scale + signal.offset
