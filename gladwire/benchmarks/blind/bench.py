"""`./glad bench blind`: the corpus judged, with its truth beside, and what was missed. Kept in docs/accuracy.md."""

from __future__ import annotations

import argparse
from collections import Counter
from collections.abc import Iterable, Sequence
from pathlib import Path

from gladwire.benchmarks.blind import buses, conversations, outside, outside_ac, pilots, power
from gladwire.benchmarks.blind.truth import Marks, marked
from gladwire.core.measured import measure_capture, measure_recording
from gladwire.core.session.session import judge_alone
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture

PAGE = Path("docs/accuracy.md")
_BEGINS, _ENDS = "<!-- blind -->", "<!-- end blind -->"
_COLUMNS = ("captures", "outcome", "owner", "cause first", "among three", "healthy blamed", "something wrong")
_MOST_MISSES = 12
_LEDGER_HEAD = (
    "| power records | minutes | limiter right | named beside | nobody named | another of the same party | another |\n"
    "|---|---|---|---|---|---|---|"
)


def main(arguments: Sequence[str]) -> None:
    parser = argparse.ArgumentParser(prog="glad bench blind")
    parser.add_argument("--each", type=int, default=12, help="captures of every class")
    parser.add_argument("--seed", type=int, default=7)
    given = parser.parse_args(arguments)
    rows, misses = [], []
    for title, found in (
        ("pilots, by circuit", _pilots(given.each, given.seed)),
        ("conversations", _conversations(given.each, given.seed)),
        ("buses of vehicles", _buses(given.each, given.seed)),
        ("pilots of a circuit simulator", _pilots_outside(given.each, given.seed)),
        ("AC sessions of a circuit simulator", _ac_outside(given.each, given.seed)),
        ("conversations of another stack", _conversations_outside()),
    ):
        marks = list(found)
        rows.append(_row(title, [m for _, m in marks]))
        misses += [f"{name}: {'; '.join(m.wrong) or 'another cause first'}" for name, m in marks if _is_missed(m)]
    table = "\n".join([f"| | {' | '.join(_COLUMNS)} |", f"|---{'|---' * len(_COLUMNS)}|", *rows])
    classes, mixed = power.limiter_minutes(given.each, given.seed), power.minutes_at_random(25 * given.each, given.seed)
    others = power.minutes_of(outside.charges(given.each, given.seed))
    packs = (("one cause each", classes), ("everything at once", mixed), ("packs of a battery model", others))
    told = "\n".join([_LEDGER_HEAD, *(_ledger_row(title, found) for title, found in packs)])
    listed = [f"- {miss[:150]}" for miss in misses[:_MOST_MISSES]]
    most = [
        f"- {minutes:.0f} min of {right} told as {was}, {title}"
        for title, found in packs
        for (right, was), minutes in found.confused[:4]
    ]
    text = "\n".join([table, "", told, "", "Missed:" if listed or most else "Nothing missed.", "", *listed, *most])
    print(text)
    page = PAGE.read_text()
    before, _, rest = page.partition(_BEGINS)
    PAGE.write_text(f"{before}{_BEGINS}\n{text.rstrip()}\n{_ENDS}{rest.partition(_ENDS)[2]}")


def _ledger_row(title: str, found: power.Minutes) -> str:
    shares = (found.right, found.beside, found.silent, found.party, found.wrong)
    return f"| {title} | {found.total:.0f} | {' | '.join(f'{100 * share:.1f} %' for share in shares)} |"


def _pilots(each: int, seed: int) -> Iterable[tuple[str, Marks]]:
    for case in pilots.cases(each, seed):
        yield case.name, marked(case.truth, judge_alone(measure_recording(case.recording)))


def _conversations(each: int, seed: int) -> Iterable[tuple[str, Marks]]:
    for case in conversations.cases(each, seed):
        yield case.name, marked(case.truth, judge_alone(measure_capture(case.capture).measured))


def _buses(each: int, seed: int) -> Iterable[tuple[str, Marks]]:
    for case in buses.cases(each, seed):
        yield case.name, marked(case.truth, judge_alone(case.measured))


def _pilots_outside(each: int, seed: int) -> Iterable[tuple[str, Marks]]:
    for case in outside.pilots(each, seed):
        yield case.name, marked(case.truth, judge_alone(measure_recording(case.recording)))


def _ac_outside(each: int, seed: int) -> Iterable[tuple[str, Marks]]:
    for case in outside_ac.ac_sessions(each, seed):
        yield case.name, marked(case.truth, judge_alone(measure_recording(case.recording)))


def _conversations_outside() -> Iterable[tuple[str, Marks]]:
    for case in outside.conversations():
        read = read_capture(Source(case.path))
        yield case.name, marked(case.truth, judge_alone(measure_capture(read).measured))


def _is_missed(marks: Marks) -> bool:
    return bool(marks.wrong) or marks.first is False or marks.owner is False or marks.blamed is True


def _row(title: str, marks: Sequence[Marks]) -> str:
    cells = [str(len(marks))]
    for key in ("outcome", "owner", "first", "among", "blamed"):
        count = Counter(getattr(m, key) for m in marks)
        asked = count[True] + count[False]
        cells.append(f"{count[True]} of {asked}" if asked else "–")
    return f"| {title} | {' | '.join(cells)} | {sum(bool(m.wrong) for m in marks)} |"
