"""Tables of samples in shapes no scope writes but people and loggers do: each is read as the plain table of the same samples;
what leaves a doubt is refused at its line as before."""

from __future__ import annotations

import io
import random
from collections.abc import Callable

import numpy as np
import openpyxl
import pytest

from gladwire.benchmarks.dialects import scopes
from gladwire.core.signal.waveform import Recording
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture

KNOWN = scopes.known_capture(random.Random(5), slow=False)
N = 1500
T, CP, PP = np.arange(N) / KNOWN.rate_hz, KNOWN.pilot[:N], KNOWN.proximity[:N]


def rows(line: Callable[[int], str]) -> str:
    return "".join(f"{line(i)}\n" for i in range(N))


def workbook(head: list[list[object]]) -> bytes:
    book = openpyxl.Workbook()
    for row in [*head, *([float(T[i]), float(CP[i]), float(PP[i])] for i in range(N))]:
        book.active.append(row)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


HEADER = "Time (s),CP (V)\n"
SHAPES: dict[str, str | bytes] = {
    "units in the cells": "Time,CP\n" + rows(lambda i: f"{T[i] * 1e3:.2f} ms,{CP[i]} V"),
    "millivolts in the cells": "Time,CP\n" + rows(lambda i: f"{T[i] * 1e3:.2f} ms,{CP[i] / 1e3:.6f} kV"),
    "newest first": HEADER + "".join(f"{T[i]:.6f},{CP[i]}\n" for i in reversed(range(N))),
    "a header on every page": HEADER + rows(lambda i: (HEADER if i and i % 400 == 0 else "") + f"{T[i]:.6f},{CP[i]}"),
    "minutes and seconds": "Time,CP (V)\n" + rows(lambda i: f"01:{T[i]:09.6f},{CP[i]}"),
    "channels one under the other": "Channel A\nTime,Volt\n" + rows(lambda i: f"{T[i]:.6f},{CP[i]}")
    + "\nChannel B\nTime,Volt\n" + rows(lambda i: f"{T[i]:.6f},{PP[i]}"),
    "workbook": workbook([["Time (s)", "CP (V)", "PP (V)"]]),
    "workbook with a preamble": workbook([["Export"], [], ["Time", "CH1", "CH2"], ["s", "V", "V"]]),
}  # fmt: skip


@pytest.mark.parametrize("name", SHAPES)
def test_a_shape_people_write_is_read_as_the_plain_table_of_the_same_samples(name: str) -> None:
    content = SHAPES[name]
    read = read_capture(Source(content if isinstance(content, bytes) else content.encode()))
    assert isinstance(read, Recording)
    assert read.channels[0].rate_hz == pytest.approx(KNOWN.rate_hz, rel=1e-3)
    for wave, right in zip(read.channels, (CP, PP), strict=False):
        assert wave.unit == "V"
        assert np.abs(wave.samples - right).max() < 2e-3
    two = name.startswith(("workbook", "channels"))
    assert len(read.channels) == (2 if two else 1)


def test_what_was_done_is_said() -> None:
    said = {
        name: " ".join(read_capture(Source(SHAPES[name].encode())).remarks)
        for name in SHAPES
        if isinstance(SHAPES[name], str)
    }
    assert "newest first" in said["newest first"]
    assert "The header stands 4 times" in said["a header on every page"]
    assert "2 channels stand one under the other" in said["channels one under the other"]
    assert "Channel A" in read_capture(Source(str(SHAPES["channels one under the other"]).encode())).channels[0].name


BAD = {
    "a word among the numbers": HEADER + rows(lambda i: f"{T[i]:.6f},{'broken' if i == 700 else CP[i]}"),
    "newest first, but one": HEADER + "".join(f"{T[900 if i == 700 else i]:.6f},{CP[i]}\n" for i in reversed(range(N))),
    "one under the other, at other times": "A\nTime,Volt\n" + rows(lambda i: f"{T[i]:.6f},{CP[i]}")
    + "\nB\nTime,Volt\n" + rows(lambda i: f"{T[i] + 1:.6f},{PP[i]}"),
    "units that change": "Time,CP\n" + rows(lambda i: f"{T[i] * 1e3:.2f} {'ms' if i != 700 else 's'},{CP[i]} V"),
}  # fmt: skip


@pytest.mark.parametrize("name", BAD)
def test_what_leaves_a_doubt_is_refused(name: str) -> None:
    with pytest.raises(UnreadableError) as refused:
        read_capture(Source(BAD[name].encode()))
    assert refused.value.line


def test_lines_below_the_readings_are_left_out_and_that_is_said() -> None:
    read = read_capture(Source((str(SHAPES["newest first"]) + "Mean,3\nby Runa,\n").encode()))
    assert "the last 2 lines are no readings; left out" in " ".join(read.remarks)
