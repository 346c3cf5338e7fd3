"""One known record and one known capture in hundreds of dialects: languages, units, times, layouts, marks, footers. Each is
read as it was written, or asked about in one sentence; none is read wrong."""

from __future__ import annotations

import random

import pytest

from gladwire.benchmarks.dialects import scopes, tables
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.formats.errors import UnreadableError
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options
from gladwire.formats.registry import read_capture


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


# Power that could be kW or, as well, amperes: nothing beside it says which.
OPEN = "t [s];Aa;Bb\n" + "".join(f"{10 * i};{min(i, 8) * 6.0 + (i % 3) * 0.4:.1f};{20 + i // 9}\n" for i in range(90))


def test_a_column_of_two_meanings_is_not_used_and_both_are_said() -> None:
    read = read_capture(Source(OPEN.encode()), Options(reader="power-csv", columns=(("Bb", "soc_percent"),)))
    assert isinstance(read, PowerRecord)
    seen = {c.title: c for c in read.columns}
    assert (seen["t [s]"].taken, seen["Bb"].told_by) == ("time", "hand")
    assert (seen["Aa"].taken, seen["Aa"].told_by) == ("", "nothing")
    assert {seen["Aa"].proposed, seen["Aa"].instead} == {"power_kw", "amps_a"}
    assert set(read.values) == {"soc_percent"}


@pytest.mark.parametrize(("quantity", "unit"), [("power_kw", 1.0), ("amps_a", 1.0), ("", None)])
def test_a_column_is_what_a_person_says(quantity: str, unit: float | None) -> None:
    options = Options(reader="power-csv", columns=(("Bb", "soc_percent"), ("Aa", quantity)))
    read = read_capture(Source(OPEN.encode()), options)
    assert isinstance(read, PowerRecord)
    assert set(read.values) == {"soc_percent"} | ({quantity} if quantity else set())
    if unit:
        assert read.values[quantity][50] == pytest.approx(48.8, abs=0.5)


def test_a_name_that_misleads_can_be_taken_back() -> None:
    """A “Power” that is a share in percent is none."""
    table = "t [s];Power;kW\n" + "".join(f"{10 * i};{i};{min(i, 8) * 6.0:.1f}\n" for i in range(60))
    read = read_capture(Source(table.encode()), Options(columns=(("Power", ""),)))
    assert isinstance(read, PowerRecord)
    assert read.values["power_kw"].max() == 48.0
    assert {c.title: c.told_by for c in read.columns} == {"t [s]": "name", "Power": "hand", "kW": "name"}


def test_a_cell_with_a_unit_of_its_own_is_in_the_unit_of_its_column() -> None:
    """“980 W” among kilowatts is no 980 kW; “12 min” among kilowatts is no power."""
    cells = ["0,98 kW", "980 W", "11,0 kW", "11,1 kW", "10900 W", *["11,0 kW"] * 20]
    table = "Zeit;Leistung\n" + "".join(f"{i} min;{cell}\n" for i, cell in enumerate(cells))
    read = read_capture(Source(table.encode()))
    assert isinstance(read, PowerRecord)
    assert read.values["power_kw"][:5] == pytest.approx([0.98, 0.98, 11.0, 11.1, 10.9])
    wrong = table.replace("11,1 kW", "12 min")
    with pytest.raises(UnreadableError, match="a number was expected"):
        read_capture(Source(wrong.encode()))
