"""Docs that fail the build when they fall behind."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import pytest

from gladwire.benchmarks.blind import conversations, outside_ac, pilots
from gladwire.core.rulebook import ALL
from gladwire.core.standards.source import SOURCES
from gladwire.formats.registry import KNOWN, READERS
from gladwire.scenarios.all import SCENARIOS

ROOT = Path(__file__).parents[1]
PAGES = [ROOT / "README.md", ROOT / "CHANGELOG.md", *sorted((ROOT / "docs").glob("*.md"))]


def rows(page: str) -> dict[str, str]:
    """First cell in code marks to the whole row."""
    text = (ROOT / "docs" / page).read_text()
    return {m.group(1): m.group(0) for m in re.finditer(r"^\| `([^`]+)` \|.*$", text, re.MULTILINE)}


def test_findings_and_causes_are_listed_as_they_are() -> None:
    done = subprocess.run(
        [sys.executable, "-c", "import runpy; print(runpy.run_path('scripts/docs/write_findings.py')['text'](), end='')"],
        cwd=ROOT, capture_output=True, text=True, check=True,
    )  # fmt: skip
    assert (ROOT / "docs" / "findings.md").read_text() == done.stdout, "run scripts/docs/write_findings.py"


def test_every_source_is_listed_with_its_document() -> None:
    listed = rows("sources.md")
    assert set(listed) == {s.key for s in SOURCES}
    for source in SOURCES:
        assert source.document in listed[source.key]
        assert listed[source.key].endswith("| yes |" if source.from_memory else "| no |")


def test_every_reader_has_its_heading() -> None:
    headings = set(re.findall(r"^## (\S+)$", (ROOT / "docs" / "formats.md").read_text(), re.MULTILINE))
    assert {reader.key for reader in READERS} <= headings
    assert KNOWN in " ".join((ROOT / "README.md").read_text().split())


@pytest.mark.parametrize("page", PAGES, ids=lambda p: p.name)
def test_links_lead_somewhere(page: Path) -> None:
    for target in re.findall(r"\]\(([^)#]+)", page.read_text()):
        assert (page.parent / target).exists(), target


@pytest.mark.parametrize("page", PAGES, ids=lambda p: p.name)
def test_named_files_exist(page: Path) -> None:
    text = page.read_text()
    for name in re.findall(r"`((?:gladwire|tests|docs)/[\w/.-]+\.\w+)`", text):
        assert (ROOT / name).exists(), name
    for name, symbol in re.findall(r"`((?:web|store|core|formats|work)/[\w/.-]+\.(?:py|html|js))(?:: (\w+))?", text):
        path = ROOT / "gladwire" / name
        assert path.exists(), name
        assert not symbol or re.search(rf"^(?:(?:def|class) )?{symbol}\b", path.read_text(), re.MULTILINE), (
            name,
            symbol,
        )


def test_the_readme_counts_what_there_is() -> None:
    assert f"makes {len(ALL)} [findings]" in " ".join((ROOT / "README.md").read_text().split())


def test_the_readme_stays_short() -> None:
    assert len((ROOT / "README.md").read_text().splitlines()) < 80


def test_the_registry_lists_every_reader_file() -> None:
    texts = [p.read_text() for p in (ROOT / "gladwire" / "formats").glob("*.py")]
    assert sum(len(re.findall(r"^(?:READER = |    )Reader\(", text, re.MULTILINE)) for text in texts) == len(READERS)


def test_every_package_says_what_belongs_there() -> None:
    for path in (ROOT / "gladwire").rglob("__init__.py"):
        assert path.read_text().startswith('"""'), path


def test_files_named_in_the_code_exist() -> None:
    for path in (ROOT / "gladwire").rglob("*.py"):
        for name in re.findall(
            r"\b(?:core|web|store|formats|work|tests|docs)/[\w/]+\.(?:py|html|js|md)\b", path.read_text()
        ):
            assert (ROOT / "gladwire" / name).exists() or (ROOT / name).exists(), f"{path}: {name}"


def test_what_the_matrix_of_failures_names_exists() -> None:
    text = (ROOT / "docs" / "accuracy.md").read_text().partition("### Which stage")[2]
    rows_ = [line for line in text.splitlines() if line.startswith("| ") and not line.startswith("| stage")]
    classes = {maker.__name__ for maker in (*pilots.MAKERS, *conversations.MAKERS)} | set(outside_ac.ACS)
    told = {s.key for s in SCENARIOS}
    stages = set()
    for line in rows_:
        stages.add(line.split("|")[1].split(",")[0].strip())
        files = {name for name in re.findall(r"`([^`]+)`", line) if name.endswith(".py")}
        assert all(list((ROOT / "tests").rglob(name)) for name in files)
        assert set(re.findall(r"`([^`]+)`", line)) - files <= classes
        assert set(re.findall(r"“([^”]+)”", line)) <= told
    assert len(stages) > 12
