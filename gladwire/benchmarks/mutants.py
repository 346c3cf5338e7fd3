"""What the tests notice: one change at a time in rules, limits, ledger, ranking and readers, and whether a test fails.

cosmic-ray says where and how code can be changed; each change runs in a process forked off one that has the libraries loaded,
with the tests of its part alone. A sample is drawn, the same each time for the same seed.
"""

from __future__ import annotations

import argparse
import contextlib
import difflib
import importlib.abc
import importlib.machinery
import importlib.util
import os
import random
import select
import signal
import sys
import time
from collections.abc import Iterator, Sequence
from importlib.machinery import ModuleSpec
from pathlib import Path
from types import ModuleType
from typing import NamedTuple

ROOT = Path(__file__).parents[2]
PAGE = ROOT / "docs" / "mutants.md"
_MARK = "## As measured last"
_PATIENCE_S = 90.0
# Changes that leave the meaning as it is, or make what no test should hold: typing, annotations, order of decorators.
_LEFT_OUT = ("core/RemoveDecorator", "core/VariableReplacer", "core/VariableInserter", "core/ExceptionReplacer")

# A limit that is met or just not met by the last bit of a float: no measured length or level stands there.
_EDGES = ("_Lt_LtE", "_LtE_Lt", "_Gt_GtE", "_GtE_Gt")


class Part(NamedTuple):
    """files: globs under gladwire/core or gladwire; tests: those that stand for them."""

    title: str
    files: tuple[str, ...]
    tests: tuple[str, ...]


_LIMITS = "tests/core/test_limits.py"
_SENTENCES = "tests/core/test_sentences.py"
_TOLD = "tests/core/test_told.py"
_SCENES = "tests/core/test_told_of_scenes.py"
_SHAKEN = "tests/core/test_shaken.py"
_FROM_CAPTURES = "tests/core/test_rules_from_captures.py"
_CIRCUITS = ("tests/core/test_faults.py", "tests/core/test_trade_facts.py", "tests/core/test_circuit.py")
PARTS: tuple[Part, ...] = (
    Part(
        "pilot rules",
        ("core/lanes/pilot/rules/*.py", "core/lanes/pilot/asking.py"),
        (_LIMITS, _SENTENCES, _SHAKEN, _SCENES, _TOLD, *_CIRCUITS),
    ),
    Part(
        "contactor, mains, proximity",
        (
            "core/lanes/contactor/rules.py",
            "core/lanes/mains/rules/*.py",
            "core/lanes/mains/subject.py",
            "core/lanes/proximity/rules.py",
        ),
        (
            _LIMITS,
            _SENTENCES,
            _SCENES,
            _TOLD,
            "tests/core/test_mains.py",
            "tests/core/test_lock_and_proximity_lanes.py",
        ),
    ),
    Part(
        "bus rules",
        ("core/lanes/bus/rules.py",),
        (_LIMITS, _SENTENCES, _SHAKEN, _SCENES, "tests/core/can/test_bus_rules.py"),
    ),
    Part(
        "conversation rules",
        ("core/lanes/frames/rules/*.py",),
        (
            _LIMITS,
            "tests/core/plc/test_shaken_conversations.py",
            _TOLD,
            _SCENES,
            "tests/core/plc/test_conversation.py",
            "tests/core/plc/test_newer.py",
            _FROM_CAPTURES,
            "tests/core/plc/test_sealed.py",
            "tests/core/plc/test_tls_corners.py",
            "tests/core/plc/test_foreign_sessions.py",
        ),
    ),
    Part(
        "limits",
        (
            "core/standards/limit.py",
            "core/standards/pilot_*.py",
            "core/standards/v2g_timers.py",
            "core/standards/*_limits.py",
        ),
        (
            "tests/core/test_standards.py",
            _LIMITS,
            _TOLD,
            "tests/core/test_trade_facts.py",
            "tests/core/plc/test_newer.py",
        ),
    ),
    Part(
        "ledger",
        ("core/lanes/power/ledger.py", "core/lanes/power/shape.py", "core/power/chain.py"),
        (
            "tests/core/power/test_told_of_power.py",
            "tests/core/power/test_shaken_courses.py",
            "tests/core/power",
            _TOLD,
        ),
    ),
    Part(
        "diagnosis",
        ("core/diagnosis/ranking.py",),
        ("tests/core/test_ranking.py", _TOLD, _SCENES, *_CIRCUITS, "tests/core/test_registries.py"),
    ),
    Part(
        "readers' sums",
        ("formats/dates.py", "formats/power_rows.py", "formats/timebase.py", "formats/table/cells.py"),
        (
            "tests/formats/test_told_of_tables.py",
            "tests/formats/test_shaken_tables.py",
            "tests/formats/test_power_tables.py",
            "tests/formats/test_tables.py",
        ),
    ),
)


class Change(NamedTuple):
    path: Path
    operator: str
    occurrence: int
    line: int


def changes_in(path: Path) -> Iterator[Change]:
    """Every change cosmic-ray knows to make in a file, except those left out."""
    from cosmic_ray.ast import ast_nodes, get_ast
    from cosmic_ray.plugins import get_operator, operator_names

    source = path.read_text()
    tree = get_ast(source)
    lines = source.splitlines()
    for name in operator_names():
        kind = get_operator(name)
        # `is` for `==` means the same for the strings and numbers compared here, as Python keeps one of each.
        if name in _LEFT_OUT or kind.arguments() or name.endswith(("_Is", "_IsNot")):
            continue
        operator = kind()
        positions = [start for node in ast_nodes(tree) for start, _ in operator.mutation_positions(node)]
        for occurrence, (line, _) in enumerate(positions):
            # An annotation's `X | None` is read by nobody at run time.
            if not lines[line - 1].lstrip().startswith(("def ", "from ", "import ", "@")):
                yield Change(path, name, occurrence, line)


def changed(change: Change) -> str | None:
    from cosmic_ray.mutating import mutate_code
    from cosmic_ray.plugins import get_operator

    made: str | None = mutate_code(change.path.read_text(), get_operator(change.operator)(), change.occurrence)
    return made


class _Swap(importlib.abc.MetaPathFinder, importlib.abc.Loader):
    """Loads one module from another source."""

    def __init__(self, name: str, path: Path, source: str) -> None:
        self.name, self.path, self.source = name, path, source

    def find_spec(
        self, fullname: str, path: Sequence[str] | None, target: ModuleType | None = None
    ) -> ModuleSpec | None:
        if fullname != self.name:
            return None
        return importlib.util.spec_from_file_location(fullname, self.path, loader=self)

    def create_module(self, spec: ModuleSpec) -> None:
        return None

    def exec_module(self, module: ModuleType) -> None:
        exec(compile(self.source, str(self.path), "exec"), module.__dict__)


def _begun(change: Change, source: str, tests: tuple[str, ...]) -> tuple[int, int]:
    """(process, pipe that ends with it) of the tests over one change."""
    reading, writing = os.pipe()
    process = os.fork()
    if process:
        os.close(writing)
        return process, reading
    os.close(reading)
    os.setsid()
    null = os.open(os.devnull, os.O_RDWR)
    for stream in (0, 1, 2):
        os.dup2(null, stream)
    name = ".".join(change.path.relative_to(ROOT).with_suffix("").parts)
    sys.meta_path.insert(0, _Swap(name, change.path, source))
    import pytest

    code = 1
    with contextlib.suppress(BaseException):
        # Rewriting assertions again in every fork would take longer than many of the tests.
        plain = ("--assert=plain", "-o", "filterwarnings=", "-p", "no:cacheprovider", "--hypothesis-seed=1")
        code = pytest.main(["-x", "-q", *plain, *tests])
    os._exit(int(code))


class Fate(NamedTuple):
    """killed: a test failed, or the tests did not end; survived: all passed."""

    change: Change
    killed: bool


def _run(todo: list[tuple[Change, str, tuple[str, ...]]], workers: int) -> Iterator[Fate]:
    running: dict[int, tuple[int, Change, float]] = {}
    while todo or running:
        while todo and len(running) < workers:
            change, source, tests = todo.pop()
            process, pipe = _begun(change, source, tests)
            running[pipe] = (process, change, time.monotonic() + _PATIENCE_S)
        ready, _, _ = select.select(list(running), [], [], 1.0)
        late = [pipe for pipe, (_, _, until) in running.items() if time.monotonic() > until]
        for pipe in {*ready, *late}:
            process, change, _ = running.pop(pipe)
            if pipe in late and pipe not in ready:
                os.killpg(process, signal.SIGKILL)
            _, status = os.waitpid(process, 0)
            os.close(pipe)
            yield Fate(change, os.waitstatus_to_exitcode(status) != 0)


def _load_libraries() -> None:
    """What every test loads, so that a fork has it; nothing of the application itself."""
    for name in ("numpy", "scipy.signal", "pydantic", "polars", "hypothesis", "pytest", "dateutil.parser", "openpyxl",
                 "cantools", "can", "scapy.utils", "cryptography.x509", "sqlalchemy", "httpx"):  # fmt: skip
        with contextlib.suppress(ImportError):
            importlib.import_module(name)


def measure(chosen: Sequence[str], sample: int, seed: int, workers: int) -> str:
    """A table of parts with changes, sample and share killed, and below it every survivor with its line."""
    import cosmic_ray.mutating  # noqa: F401  before the fork

    _load_libraries()
    loaded = [name for name in sys.modules if name.startswith("gladwire.") and name != __name__]
    for name in loaded:
        del sys.modules[name]
    rows, survivors = [], []
    for part in PARTS:
        if chosen and part.title not in chosen:
            continue
        files = sorted({path for pattern in part.files for path in (ROOT / "gladwire").glob(pattern)})
        every = [change for path in files for change in changes_in(path)]
        as_it_is = Change(files[0], "", 0, 0)
        if next(_run([(as_it_is, files[0].read_text(), part.tests)], 1)).killed:
            raise RuntimeError(f"the tests of “{part.title}” fail without any change")
        drawn = random.Random(seed).sample(every, min(sample, len(every)))
        todo = [(c, source, part.tests) for c in drawn if (source := changed(c))]
        fates = []
        for fate in _run(todo, workers):
            fates.append(fate)
            if not fate.killed:
                print(f"- {_told(fate.change)}", file=sys.stderr, flush=True)
        killed = sum(f.killed for f in fates)
        beside = [f for f in fates if f.killed or not f.change.operator.endswith(_EDGES)]
        shares = (f"{100 * killed / max(len(tried), 1):.0f} %" for tried in (fates, beside))
        rows.append(f"| {part.title} | {len(every)} | {len(fates)} | {' | '.join(shares)} |")
        survivors += [f.change for f in fates if not f.killed]
        print(rows[-1], file=sys.stderr, flush=True)
    head = "| part | changes | tried | killed | edges aside (aim 90 %) |\n|---|---|---|---|---|\n"
    told = "\n".join(f"- {_told(change)}" for change in sorted(survivors))
    return f"{head}{chr(10).join(rows)}\n\nSurvivors:\n\n{told or 'none'}"


def _told(change: Change) -> str:
    before, after = change.path.read_text(), changed(change) or ""
    lines = [line for line in difflib.unified_diff(before.splitlines(), after.splitlines(), n=0, lineterm="")][3:]
    gone = next((line[1:].strip() for line in lines if line.startswith("-")), "")
    come = next((line[1:].strip() for line in lines if line.startswith("+")), "")
    return f"`{change.path.relative_to(ROOT / 'gladwire')}:{change.line}` `{gone}` → `{come}`"


def main(arguments: Sequence[str]) -> None:
    """Measure and print; the whole, if it was tried whole, replaces the table in docs/mutants.md."""
    parser = argparse.ArgumentParser(prog="glad bench mutants")
    parser.add_argument("--part", nargs="+", default=[], choices=[part.title for part in PARTS])
    parser.add_argument("--sample", type=int, default=60, help="changes tried in each part")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--workers", type=int, default=os.cpu_count() or 1)
    wanted = parser.parse_args(arguments)
    os.chdir(ROOT)
    table = measure(wanted.part, wanted.sample, wanted.seed, wanted.workers)
    print(table)
    if not wanted.part:
        text = PAGE.read_text()
        PAGE.write_text(text[: text.index(_MARK)] + f"{_MARK}\n\n{table}\n")


if __name__ == "__main__":
    main(sys.argv[1:])
