"""One known record and one known capture in hundreds of dialects: languages, units, times, layouts, marks, footers. Each is
read as it was written, or asked about in one sentence; none is read wrong."""

from __future__ import annotations

import random

import numpy as np
import pytest

from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.signal.waveform import Recording
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture
from tests.formats import scope_dialects as scopes
from tests.formats.dialects import NAMES, QUANTITY, Dialect, Known, any_dialect, known_record, written

# Several readings in one minute are spread over it: the moments are not those written, to some seconds.
_TO_THE_MINUTE = ("clock no seconds", "no seconds d.m.y")


def outcome(known: Known, dialect: Dialect, data: bytes) -> str:
    """Nothing where it was read as written, “asked” where a sentence asks for what is not told, else what is wrong."""
    try:
        read = read_capture(Source(data))
    except UnreadableError as error:
        return "asked" if error.hint and error.line else f"refused: {error}"
    if not isinstance(read, PowerRecord):
        return f"read as {type(read).__name__}"
    if len(read.time_s) != len(known.time_s):
        return f"{len(read.time_s)} rows of {len(known.time_s)}"
    off = float(np.abs(read.time_s - read.time_s[0] - known.time_s).max())
    if off > (35.0 if dialect.time in _TO_THE_MINUTE else 0.6):
        return f"times off by {off:g} s"
    wanted = {QUANTITY[key] for key in dialect.columns}
    found = {key for key, values in read.values.items() if np.isfinite(values).any()}
    if found - wanted:
        return f"holds {sorted(found - wanted)}, which nobody wrote"
    for key in found:
        values, right = read.values[key], known.values[key]
        there = np.isfinite(values)
        if there.sum() < len(right) - 4:
            return f"{key} misses readings"
        if float(np.abs(values[there] - right[there]).max()) > 0.06 + 1e-3 * float(right.max()):
            return f"{key} is wrong"
    return "" if found == wanted else f"misses {sorted(wanted - found)}"


def outcomes(seeds: range, languages: tuple[str, ...]) -> dict[str, str]:
    found = {}
    for seed in seeds:
        rng = random.Random(seed)
        dialect = any_dialect(rng, languages)
        known = known_record(rng)
        result = outcome(known, dialect, written(known, dialect, rng))
        if result:
            found[f"{seed}: {dialect}"] = result
    return found


@pytest.mark.parametrize("language", [name for name in NAMES if name != "xx"])
def test_a_language_is_read_or_asked_about(language: str) -> None:
    found = outcomes(range(60), (language,))
    assert {k: v for k, v in found.items() if v != "asked" and not v.startswith("misses")} == {}
    assert len(found) <= 3


def test_names_of_no_language_are_read_by_unit_and_behaviour() -> None:
    found = outcomes(range(200), ("xx",))
    assert {k: v for k, v in found.items() if v != "asked" and not v.startswith("misses")} == {}
    assert len(found) <= 20


def scope_outcome(known: scopes.Known, dialect: scopes.Dialect, data: bytes) -> str:
    try:
        read = read_capture(Source(data))
    except UnreadableError as error:
        return "asked" if error.hint and error.line else f"refused: {error}"
    if not isinstance(read, Recording) or len(read.channels) != dialect.channels:
        return f"read as {type(read).__name__} of {len(getattr(read, 'channels', ()))}"
    if abs(read.channels[0].rate_hz / known.rate_hz - 1.0) > 0.01:
        return f"{read.channels[0].rate_hz:g} samples a second"
    # A sample marked as beyond twelve volts is taken at twelve.
    near = 0.15 if dialect.over == ">10" else 0.01
    for wave, right in zip(read.channels, (known.pilot, known.proximity), strict=False):
        if len(wave.samples) != len(right) or np.isfinite(wave.samples).sum() < len(right) - 1 or wave.unit != "V":
            return f"{len(wave.samples)} samples in {wave.unit}"
        off = float(np.nanmax(np.abs(wave.samples - right)))
        if off > near:
            return f"off by {off:g} V"
    return ""


@pytest.mark.parametrize("part", range(4))
def test_a_scope_s_dialect_is_read_or_asked_about(part: int) -> None:
    found = {}
    for seed in range(100 * part, 100 * part + 100):
        rng = random.Random(seed)
        dialect = scopes.any_dialect(rng)
        if dialect.head == "none":
            dialect.unit = "none"  # nothing would tell it
        known = scopes.known_capture(rng, scopes.is_slow(dialect))
        result = scope_outcome(known, dialect, scopes.written(known, dialect, rng))
        if result:
            found[f"{seed}: {dialect}"] = result
    assert {k: v for k, v in found.items() if v != "asked"} == {}
    assert len(found) <= 2
