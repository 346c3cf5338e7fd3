"""WAV and NumPy archives, whole and damaged: one clear sentence, never a crash, never a silent nonsense."""

from __future__ import annotations

import io
import wave
import zipfile

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gladwire.core.signal.waveform import Recording
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from tests.build import QUIET, analyse, session

VOLTS = session(asking_ms=300).record(40e3, QUIET, 1).samples


def as_wav(bits: int = 16, channels: int = 1) -> bytes:
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(channels)
        file.setsampwidth(bits // 8)
        file.setframerate(40_000)
        scaled = np.clip(VOLTS / 16.0, -1, 1) * (2 ** (bits - 1) - 1)
        frames = np.repeat(scaled[:, None], channels, axis=1).astype("<i2" if bits == 16 else "<i4")
        file.writeframes(frames.tobytes())
    return out.getvalue()


def as_npz(**arrays: object) -> bytes:
    out = io.BytesIO()
    np.savez_compressed(out, **arrays)  # type: ignore[arg-type]
    return out.getvalue()


def read_or_refuse(content: bytes) -> Recording | None:
    """None for a refusal that reads like a sentence; anything else the reader raises fails the test."""
    try:
        return read_capture(Source(content))
    except UnreadableError as error:
        if not 10 < len(str(error)) < 400:
            raise AssertionError(f"this is no sentence: {error}") from error
        return None


@pytest.mark.parametrize("bits", [16, 32])
def test_a_wav_of_any_depth_reads_as_the_same_pilot(bits: int) -> None:
    analysis = analyse(read_capture(Source(as_wav(bits))))
    assert analysis.pilot is not None
    assert [s.label for s in analysis.pilot.segments] == ["A1", "B1", "B2", "C2", "B2", "B1", "A1"]


def test_a_wav_of_two_channels_holds_two() -> None:
    assert len(read_capture(Source(as_wav(16, 2))).channels) == 2


@settings(deadline=None, max_examples=40)
@given(st.integers(12, 4000))
def test_a_wav_cut_anywhere_is_read_or_refused_in_a_sentence(length: int) -> None:
    recording = read_or_refuse(as_wav()[:length])
    assert recording is None or np.isfinite(recording.channels[0].samples).all()


@settings(deadline=None, max_examples=40)
@given(st.integers(4, 3000), st.integers(0, 255))
def test_an_archive_with_a_changed_byte_is_read_or_refused_in_a_sentence(at: int, value: int) -> None:
    content = bytearray(as_npz(CP=VOLTS[:4000], rate_hz=40e3))
    content[at % len(content)] = value
    recording = read_or_refuse(bytes(content))
    assert recording is None or recording.channels[0].rate_hz > 0


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (as_npz(CP=VOLTS), "no time array and no rate"),
        (as_npz(CP=VOLTS, PP=VOLTS[:99], rate_hz=1e4), "differ in length"),
        (as_npz(CP=np.array([{"a": 1}], dtype=object), rate_hz=1e4), "objects instead of numbers"),
        (as_npz(rate_hz=1e4), "no one-dimensional array"),
        (as_npz(CP=VOLTS.reshape(-1, 2), rate_hz=1e4), "no one-dimensional array"),
        (as_npz(CP=VOLTS, t=np.zeros(len(VOLTS))), "time"),
        (as_npz(CP=VOLTS, rate_hz=40e3)[:-40], "damaged"),
    ],
)
def test_archives_that_do_not_hold_together_say_what_is_wrong(content: bytes, says: str) -> None:
    with pytest.raises(UnreadableError, match=says):
        read_capture(Source(content))


def test_a_zip_that_is_no_archive_of_arrays_is_not_taken_for_one() -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("diary.txt", "dear diary")
    with pytest.raises(UnreadableError):
        read_capture(Source(out.getvalue()))
