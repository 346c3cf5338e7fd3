"""One known record and one known capture in hundreds of dialects: languages, units, times, layouts, marks, footers. Each is
read as it was written, or asked about in one sentence; none is read wrong."""

from __future__ import annotations

import random

import pytest

from gladwire.benchmarks.dialects import scopes, tables


def outcomes(seeds: range, languages: tuple[str, ...]) -> dict[str, str]:
    found = {}
    for seed in seeds:
        rng = random.Random(seed)
        dialect = tables.any_dialect(rng, languages)
        known = tables.known_record(rng)
        result = tables.outcome(known, dialect, tables.written(known, dialect, rng))
        if result:
            found[f"{seed}: {dialect}"] = result
    return found


@pytest.mark.parametrize("language", [name for name in tables.NAMES if name != "xx"])
def test_a_language_is_read_or_asked_about(language: str) -> None:
    found = outcomes(range(60), (language,))
    assert {k: v for k, v in found.items() if v != "asked" and not v.startswith("misses")} == {}
    assert len(found) <= 3


def test_names_of_no_language_are_read_by_unit_and_behaviour() -> None:
    found = outcomes(range(200), ("xx",))
    assert {k: v for k, v in found.items() if v != "asked" and not v.startswith("misses")} == {}
    assert len(found) <= 20


@pytest.mark.parametrize("part", range(4))
def test_a_scope_s_dialect_is_read_or_asked_about(part: int) -> None:
    found = {}
    for seed in range(100 * part, 100 * part + 100):
        rng = random.Random(seed)
        dialect = scopes.any_dialect(rng)
        if dialect.head == "none":
            dialect.unit = "none"  # nothing would tell it
        known = scopes.known_capture(rng, scopes.is_slow(dialect))
        result = scopes.outcome(known, dialect, scopes.written(known, dialect, rng))
        if result:
            found[f"{seed}: {dialect}"] = result
    assert {k: v for k, v in found.items() if v != "asked"} == {}
    assert len(found) <= 2
