"""Decoded samples of captures as memory-mapped files: derived, bounded, made anew from the originals when missing."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import tempfile
import zipfile
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import TypeVar

import numpy as np

from gladwire.core.lanes.frames.message_store import MessageStore
from gladwire.core.signal.envelope import Summary, summarise
from gladwire.core.signal.waveform import Recording, Waveform

_MOST_BYTES = 8 * 2**30
_MESSAGES = "messages.npz"
# What a file that was emptied, cut or overwritten makes of reading it; no messages is no damage.
_DAMAGED = (ValueError, EOFError, KeyError, OSError, TypeError, zipfile.BadZipFile)
Kept = TypeVar("Kept")


class NoMessagesError(Exception):
    """A capture that holds none: no frames."""


class SampleCache:
    """One folder per key, which says all that the samples depend on; the least used go when it grows beyond its bound."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)

    def keep(self, key: str, recording: Recording, messages: MessageStore | None = None) -> None:
        """Store all channels with their summaries, and messages; complete or not at all."""
        target = self.folder / key
        if target.is_dir():
            return
        fresh = Path(tempfile.mkdtemp(prefix="new-", dir=self.folder))
        about = []
        for number, wave in enumerate(recording.channels):
            np.save(fresh / f"{number}.npy", wave.samples)
            summary = summarise(wave.samples)
            np.save(
                fresh / f"{number}.summary.npy", np.stack([summary.low, summary.lower, summary.upper, summary.high])
            )
            about.append({"name": wave.name, "rate_hz": wave.rate_hz, "start_s": wave.start_s, "unit": wave.unit})
        if messages is not None:
            np.savez(fresh / _MESSAGES, **messages._asdict())
        (fresh / "about.json").write_text(json.dumps(about))
        try:
            fresh.rename(target)
        except OSError:
            shutil.rmtree(fresh, ignore_errors=True)  # another process was quicker
        self._bound()

    def channel(self, key: str, number: int, fill: Callable[[], None]) -> tuple[Waveform, Summary]:
        """A channel, mapped rather than loaded. fill: keeps it anew from the original where it is lost or damaged; its errors
        pass. Raises IndexError where there is no such channel."""
        return self._read(key, fill, lambda place: _mapped(place, number, _mark(place, number)))

    def messages(self, key: str, fill: Callable[[], None]) -> MessageStore:
        """All messages of a capture of frames. Raises NoMessagesError where it holds none; errors of fill pass."""
        return self._read(key, fill, _messages_in)

    def _read(self, key: str, fill: Callable[[], None], load: Callable[[Path], Kept]) -> Kept:
        place = self.folder / key
        if place.is_dir():
            with contextlib.suppress(*_DAMAGED):
                os.utime(place)
                return load(place)
            # A folder emptied or damaged behind our back: what it held is derived, and made anew.
            self._remove(place)
        fill()
        os.utime(place)
        return load(place)

    def _remove(self, place: Path) -> None:
        shutil.rmtree(place, ignore_errors=True)
        _mapped.cache_clear()

    def forget(self, sha256: str) -> None:
        """Remove everything kept of a capture, whatever it was read with and by which version."""
        for place in self.folder.glob(f"{sha256}*"):
            self._remove(place)

    def _bound(self) -> None:
        places = sorted((p for p in self.folder.iterdir() if p.is_dir()), key=lambda p: -p.stat().st_mtime)
        total = 0
        for index, place in enumerate(places):
            total += sum(f.stat().st_size for f in place.iterdir())
            if index and total > _MOST_BYTES:
                shutil.rmtree(place, ignore_errors=True)


def _mark(place: Path, number: int) -> tuple[tuple[int, int], ...]:
    """Sizes and moments of a channel's files. Raises IndexError where there is no such channel, OSError where one is lost."""
    told = [place / "about.json", place / f"{number}.npy", place / f"{number}.summary.npy"]
    if number >= len(json.loads(told[0].read_text())):
        raise IndexError(f"no channel {number}")
    return tuple((found.st_size, found.st_mtime_ns) for found in (path.stat() for path in told))


@lru_cache(maxsize=64)
def _mapped(place: Path, number: int, _: tuple[tuple[int, int], ...]) -> tuple[Waveform, Summary]:
    """A channel kept at a place: opened once for many zooms, and anew where its files were changed behind our back. To read
    what a shortened file was mapped to would end the process."""
    about = json.loads((place / "about.json").read_text())[number]
    samples = np.load(place / f"{number}.npy", mmap_mode="r")
    return Waveform(samples=samples, **about), Summary(*np.load(place / f"{number}.summary.npy", mmap_mode="r"))


def _messages_in(place: Path) -> MessageStore:
    if not (place / _MESSAGES).exists() and (place / "about.json").exists():
        raise NoMessagesError
    with np.load(place / _MESSAGES) as arrays:
        return MessageStore(**{name: arrays[name] for name in MessageStore._fields})
