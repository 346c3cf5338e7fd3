"""Value change dumps both ways, checked by a library of its own; MDF named where its library is missing."""

from __future__ import annotations

import io
import sys
from types import ModuleType

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from vcd import VCDWriter
from vcd.reader import TokenKind, tokenize

from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.formats import mdf, vcd
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture

# As logic analysers export it: several changes on a line, blanks in names, a bus, a real, a comment among the changes.
EXPORT = b"""$date Tue Nov  3 10:00:00 2026 $end
$version some logger 0.5 $end
$timescale 1 us $end
$scope module logger $end
$var wire 1 ! D0 $end
$var wire 1 " K1 aux $end
$var wire 4 $ bus [3:0] $end
$var real 64 # CP $end
$upscope $end
$enddefinitions $end
#0 1! 0" r12.0 # b0101 $
$comment nothing 1! here $end
#1000 0! x"
#5000 1! 1" r9.01 #
#1000000
"""


def lines(*spans: list[tuple[float, float]], rate_hz: float = 10e3, seconds: float = 2.0) -> Recording:
    times = np.arange(int(rate_hz * seconds)) / rate_hz
    waves = []
    for number, one in enumerate(spans):
        high = np.any([(times >= a) & (times < b) for a, b in one], axis=0)
        waves.append(Waveform(f"K{number}", 5.0 * high.astype(np.float32), rate_hz, 0.0, "V"))
    return Recording(tuple(waves), "test", (), "2026-11-03 10:00:00")


def test_an_export_is_read_line_by_line() -> None:
    recording = read_capture(Source(EXPORT))
    assert recording.recorded_at == "Tue Nov  3 10:00:00 2026"
    d0, k1, bus, cp = recording.channels
    assert [w.name for w in recording.channels] == ["D0", "K1_aux", "bus", "CP"]
    assert (d0.unit, cp.unit) == ("logic", "V")
    assert d0.end_s == pytest.approx(1.0, abs=2e-4)

    def at(wave: Waveform, s: float) -> float:
        return float(wave.samples[round(s * wave.rate_hz)])

    assert (at(d0, 0.0005), at(d0, 0.002), at(d0, 0.5)) == (1.0, 0.0, 1.0)
    assert np.isnan(at(k1, 0.003))
    assert at(bus, 0.5) == 5.0
    assert (at(cp, 0.001), at(cp, 0.5)) == (12.0, pytest.approx(9.01))


def test_what_another_writer_writes_is_read_to_the_tick() -> None:
    text = io.StringIO()
    with VCDWriter(text, timescale="10 ns", date="today") as writer:
        lock = writer.register_var("a.b", "lock", "wire", size=1, init=0)
        for at, value in ((1_000_000, 1), (1_500_000, 0), (90_000_000, 1)):
            writer.change(lock, at, value)
        writer.close(100_000_000)
    wave = read_capture(Source(text.getvalue().encode())).channels[0]
    assert wave.name == "b.lock"
    edges = np.flatnonzero(np.diff(wave.samples)) / wave.rate_hz
    assert edges == pytest.approx([0.01, 0.015, 0.9], abs=1.1e-4)


@settings(deadline=None, max_examples=25)
@given(
    st.lists(st.tuples(st.floats(0.02, 1.8), st.floats(0.01, 0.15)), min_size=1, max_size=5),
    st.lists(st.tuples(st.floats(0.02, 1.8), st.floats(0.01, 0.15)), min_size=1, max_size=5),
)
def test_written_and_read_again_every_switching_is_where_it_was(
    one: list[tuple[float, float]], other: list[tuple[float, float]]
) -> None:
    before = lines([(a, a + d) for a, d in one], [(a, a + d) for a, d in other])
    content = vcd.write(before)
    tokens = [t.kind for t in tokenize(io.BytesIO(content))]
    assert TokenKind.CHANGE_SCALAR in tokens
    after = read_capture(Source(content))
    assert after.recorded_at == before.recorded_at
    for wave, again in zip(before.channels, after.channels, strict=True):
        moments = np.flatnonzero(np.diff(wave.samples)) / wave.rate_hz
        found = np.flatnonzero(np.diff(again.samples)) / again.rate_hz
        assert found == pytest.approx(moments, abs=2e-4 + 1 / wave.rate_hz)


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (EXPORT[: EXPORT.index(b"$enddef")], "definitions never end"),
        (EXPORT.replace(b"#5000", b"#50"), "time runs backwards at #50"),
        (EXPORT.replace(b"$timescale 1 us $end", b"$timescale 3 parsecs $end"), "no sound value change dump"),
        (EXPORT[: EXPORT.index(b"#0 ")], "no line that ever changes"),
    ],
)
def test_broken_dumps_are_refused_in_one_sentence(content: bytes, says: str) -> None:
    with pytest.raises(UnreadableError, match=says):
        read_capture(Source(content))


def test_odd_words_are_passed_over_and_said() -> None:
    assert read_capture(Source(EXPORT + b"what ever\n")).remarks == (
        "2 words of the dump could not be read; the rest is.",
    )


def test_a_long_capture_with_a_short_glitch_says_what_is_not_told_apart() -> None:
    content = EXPORT + b"#1000001 0!\n#1000002 1!\n#900000000\n"
    recording = read_capture(Source(content))
    assert any("not told apart" in remark for remark in recording.remarks)
    assert len(recording.channels[0].samples) <= 2_000_001


def test_nothing_to_write_is_refused() -> None:
    with pytest.raises(ValueError, match="no line"):
        vcd.write(Recording((), "test"))


def test_mdf_is_named_where_its_library_is_missing(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "asammdf", None)
    with pytest.raises(UnreadableError, match=r"asammdf.*pip install asammdf"):
        read_capture(Source(b"MDF     4.10" + b"\0" * 500))


def test_a_damaged_mdf_is_one_sentence_whatever_its_library_raises(monkeypatch: pytest.MonkeyPatch) -> None:
    library = ModuleType("asammdf")

    def broken(path: str) -> None:
        raise RuntimeError("seek out of range")

    library.MDF = broken  # type: ignore[attr-defined]
    monkeypatch.setitem(sys.modules, "asammdf", library)
    with pytest.raises(UnreadableError, match=r"damaged.*seek out of range"):
        read_capture(Source(b"MDF     4.10" + b"\0" * 500))
    assert mdf.sniff(b"MDF     4.10") > 0
