"""A campaign: one thing tried with many others, and again after something changed. What was tried with what, how far it got,
what an update changed, and what is left to try."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from gladwire.core.case.swaps import PARTS, Attempt, Came, Part

_UNKNOWN = "not noted"


class Trial(NamedTuple):
    """One try in a cell. stage: the furthest it got, in words; said: what displays said, or why it was not decided. session:
    its number, None for one without a capture."""

    came: Came
    stage: str = ""
    said: str = ""
    session: int | None = None


class Change(NamedTuple):
    """What a later version came to against an earlier one: rows by whether they charged before and after; open: to try."""

    before: str
    after: str
    mended: tuple[str, ...]
    broken: tuple[str, ...]
    failing: tuple[str, ...]
    charging: tuple[str, ...]
    open: tuple[str, ...]


class Table(NamedTuple):
    """row_part: what stands in rows. rows, columns: labels, in the order they were first tried. cells: tries, in order.
    parts_of: what each column stands for. reference: rows where all that was decided charged, in more than one column."""

    row_part: Part
    rows: tuple[str, ...]
    columns: tuple[str, ...]
    cells: Mapping[tuple[str, str], tuple[Trial, ...]]
    parts_of: Mapping[str, Mapping[Part, str]]
    reference: tuple[str, ...]
    change: Change | None

    def column_for(self, parts: Mapping[Part, str]) -> str | None:
        """The column of a combination; None where none stands for it yet."""
        return next((c for c, its in self.parts_of.items() if all(parts.get(p, "") == n for p, n in its.items())), None)


def table_of(tried: Sequence[tuple[Attempt, Trial]]) -> Table:
    """Rows are posts, or vehicles where more of these were tried; columns what else varies, one for each combination."""
    values = {part: list(dict.fromkeys(a.parts.get(part, "") or _UNKNOWN for a, _ in tried)) for part in PARTS}
    row_part: Part = "vehicle" if len(values["vehicle"]) > len(values["post"]) else "post"
    varied = [part for part in PARTS if part != row_part and len(values[part]) > 1]
    other: Part = "post" if row_part == "vehicle" else "vehicle"
    varied = varied or [other]
    cells: dict[tuple[str, str], list[Trial]] = {}
    parts_of: dict[str, dict[Part, str]] = {}
    for attempt, trial in tried:
        row = attempt.parts.get(row_part, "") or _UNKNOWN
        own: dict[Part, str] = {part: attempt.parts.get(part, "") for part in varied}
        column = ", ".join(name or _UNKNOWN for name in own.values())
        parts_of.setdefault(column, own)
        cells.setdefault((row, column), []).append(trial)
    rows, columns = tuple(values[row_part]) if tried else (), tuple(parts_of)
    kept = {key: tuple(found) for key, found in cells.items()}
    return Table(
        row_part, rows, columns, kept, parts_of, _reference(rows, columns, kept), _change(rows, parts_of, kept)
    )


def came_of_cell(trials: Sequence[Trial]) -> Came | None:
    """What the last decided try came to; a refusal and a start after it is a start. None where nothing was tried."""
    decided = [t.came for t in trials if t.came != "open"]
    return decided[-1] if decided else "open" if trials else None


def _reference(
    rows: Sequence[str], columns: Sequence[str], cells: Mapping[tuple[str, str], Sequence[Trial]]
) -> tuple[str, ...]:
    found = []
    for row in rows:
        decided = [[t.came for t in cells.get((row, c), ()) if t.came != "open"] for c in columns]
        told = [came for came in decided if came]
        if len(told) > 1 and all(set(came) == {"charged"} for came in told):
            found.append(row)
    return tuple(found)


def _change(
    rows: Sequence[str],
    parts_of: Mapping[str, Mapping[Part, str]],
    cells: Mapping[tuple[str, str], Sequence[Trial]],
) -> Change | None:
    """Between the last two versions that only differ in the software: None where there are no two."""
    columns = list(parts_of)
    pairs = [
        (a, b)
        for i, b in enumerate(columns)
        for a in columns[:i]
        if {p for p in parts_of[b] if parts_of[a][p] != parts_of[b][p]} == {"software"}
        and parts_of[a]["software"]
        and parts_of[b]["software"]
        and any((row, a) in cells and (row, b) in cells for row in rows)
    ]
    if not pairs:
        return None
    before, after = pairs[-1]
    sorted_: dict[str, list[str]] = {"mended": [], "broken": [], "failing": [], "charging": [], "open": []}
    for row in rows:
        was, now = (came_of_cell(cells.get((row, column), ())) for column in (before, after))
        if was is None and now is None:
            continue
        if now in (None, "open"):
            sorted_["open"].append(row)
        elif was in ("charged", "failed"):
            names = {("failed", "charged"): "mended", ("charged", "failed"): "broken", ("failed", "failed"): "failing"}
            sorted_[names.get((str(was), str(now)), "charging")].append(row)
    return Change(before, after, **{key: tuple(found) for key, found in sorted_.items()})
