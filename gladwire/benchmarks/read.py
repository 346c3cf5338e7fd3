"""`./glad bench read`: tables, exports of scopes and logs of buses in strangers' dialects, and how they are read.

Kept in docs/accuracy.md. What is asked about in one sentence is no mistake; what is read otherwise than it was written is.
"""

from __future__ import annotations

import argparse
import random
import time
from collections import Counter
from collections.abc import Callable, Sequence
from pathlib import Path

from gladwire.benchmarks.dialects import buses, lanes, scopes, tables
from gladwire.formats.opening import Source
from gladwire.formats.registry import READERS, read_capture

PAGE = Path("docs/accuracy.md")
_BEGINS, _ENDS = "<!-- read -->", "<!-- end read -->"


def _tables(count: int, languages: Sequence[str]) -> Counter[str]:
    found = Counter[str]()
    for seed in range(10_000, 10_000 + count):
        rng = random.Random(seed)
        dialect = tables.any_dialect(rng, languages)
        known = tables.known_record(rng)
        found[_class(tables.outcome(known, dialect, tables.written(known, dialect, rng)))] += 1
    return found


def _scopes(count: int) -> Counter[str]:
    found = Counter[str]()
    for seed in range(10_000, 10_000 + count):
        rng = random.Random(seed)
        dialect = scopes.any_dialect(rng)
        dialect.unit = "none" if dialect.head == "none" else dialect.unit
        known = scopes.known_capture(rng, scopes.is_slow(dialect))
        found[_class(scopes.outcome(known, dialect, scopes.written(known, dialect, rng)))] += 1
    return found


def _buses(count: int, named: bool) -> Counter[str]:
    found = Counter[str]()
    for seed in range(10_000, 10_000 + count):
        roles, right, _ = buses.proposed(seed, named)
        for role, name in right.items():
            found["right" if roles.get(role) == name else "wrong" if role in roles else "asked"] += 1
        found["wrong"] += len(set(roles) - set(right))
    return found


def _channels(count: int, named: bool) -> Counter[str]:
    found = Counter[str]()
    for seed in range(10_000, 10_000 + count):
        _, made, measured = lanes.told(seed, named, with_units=seed % 2 == 0)
        found.update({"proposed": "asked"}.get(o, o.partition(":")[0]) for o in lanes.outcome(made, measured).values())
    return found


def _class(outcome: str) -> str:
    if outcome.startswith("misses"):
        return "in part"
    return {"": "right", "asked": "asked"}.get(outcome, "refused" if outcome.startswith("refused") else "wrong")


def _recognising() -> float:
    """Time to tell what a file is, as a share of the time to read it; the median over tables and exports."""
    shares = []
    for seed in range(40):
        rng = random.Random(seed)
        table, scope = tables.any_dialect(rng), scopes.any_dialect(rng)
        for data in (
            tables.written(tables.known_record(rng), table, rng),
            scopes.written(scopes.known_capture(rng, scopes.is_slow(scope)), scope, rng),
        ):
            head = Source(data).head()
            begun = time.perf_counter()
            for reader in READERS:
                reader.sniff(head)
            told = time.perf_counter()
            try:
                read_capture(Source(data))
            except Exception:  # refused ones take their time as well
                continue
            shares.append((told - begun) / (time.perf_counter() - told))
    return sorted(shares)[len(shares) // 2]


def measure(count: int) -> str:
    """A table of what was read how, by class."""
    every = [name for name in tables.NAMES if name != "xx"]
    classes: list[tuple[str, Callable[[], Counter[str]]]] = [
        ("power tables, eleven languages", lambda: _tables(count, every)),
        ("power tables, names of no language", lambda: _tables(count // 2, ("xx",))),
        ("exports of scopes and loggers, eight languages", lambda: _scopes(count)),
        ("channels of scopes, eleven languages", lambda: _channels(max(count // 4, 5), True)),
        ("channels of scopes, names that mean nothing", lambda: _channels(max(count // 4, 5), False)),
        ("roles of buses, named by many habits", lambda: _buses(max(count // 20, 5), True)),
        ("roles of buses, names that mean nothing", lambda: _buses(max(count // 20, 5), False)),
    ]
    rows = ["| | tried | right | asked | in part | refused | wrong |", "|---|---|---|---|---|---|---|"]
    for title, taken in classes:
        found = taken()
        cells = [f"{found[key]}" for key in ("right", "asked", "in part", "refused", "wrong")]
        rows.append(f"| {title} | {found.total()} | {' | '.join(cells)} |")
    share = 100 * _recognising()
    return "\n".join(
        [*rows, "", f"Telling what a file is takes {share:.0f} % of the time of reading it, in the median."]
    )


def main(arguments: Sequence[str]) -> None:
    parser = argparse.ArgumentParser(prog="glad bench read")
    parser.add_argument("--count", type=int, default=1000, help="of each class of tables and exports")
    table = measure(parser.parse_args(arguments).count)
    print(table)
    text = PAGE.read_text()
    before, after = text.split(_BEGINS)[0], text.split(_ENDS)[1]
    PAGE.write_text(f"{before}{_BEGINS}\n{table}\n{_ENDS}{after}")
