"""What a step of the checklist is, and how an entered reading is judged."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Literal, NamedTuple

from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.diagnosis.tests import Test

Verdict = Literal["good", "bad", "unclear"]


class Judged(NamedTuple):
    """What an entered reading says: good or bad, in one sentence, and what to do with it where that is not plain."""

    verdict: Verdict
    text: str


class Entry(NamedTuple):
    """One entered reading: a number with its unit, or one of the step's answers."""

    value: float | None
    answer: str
    text: str = ""


class Step(NamedTuple):
    """One step: a test of the table under the same key, and how its reading is judged. expected: the good reading in words;
    unit: of a number to enter, "" for a choice of answers.

    judge: an entry to what it says. unless: steps whose bad reading makes this one moot until it is mended, with the
    reason; only_if: key and verdict of a step that calls for this one. contacts: of the connector it speaks of.
    """

    key: str
    title: str
    expected: str
    judge: Callable[[Entry], Judged]
    unit: str = ""
    answers: tuple[tuple[str, str], ...] = ()
    unless: Mapping[str, str] = {}
    only_if: tuple[str, Verdict] | None = None
    contacts: tuple[str, ...] = ()

    @property
    def test(self) -> Test:
        return TESTS[self.key]


def yes_no(good: str, yes: str, no: str) -> Callable[[Entry], Judged]:
    """A judge of yes and no; good: the answer that is as it should be. yes, no: what each means."""

    def judge(entry: Entry) -> Judged:
        if entry.answer not in ("yes", "no"):
            return Judged("unclear", "Not decided: repeat the step, or note why it cannot be done.")
        return Judged("good" if entry.answer == good else "bad", yes if entry.answer == "yes" else no)

    return judge


def of_test(key: str) -> tuple[Callable[[Entry], Judged], tuple[tuple[str, str], ...]]:
    """(a judge, the answers) of a test that tells whose fault it is, by its own results; the judge takes them up as well."""
    test = TESTS[key]

    def judge(entry: Entry) -> Judged:
        if entry.answer not in ("so", "not_so"):
            return Judged("unclear", "Not known: it tells nothing yet.")
        return Judged("bad", test.so) if entry.answer == "so" else Judged("good", test.not_so)

    return judge, (("so", test.so), ("not_so", test.not_so), ("unclear", "not known yet"))


SKIP = "skip"


def judged(step: Step, entry: Entry) -> Judged:
    """What an entry says; a step left out says nothing, and never stands in the way of another."""
    if entry.answer == SKIP:
        return Judged("unclear", "Left out: it does not apply here, or could not be done.")
    return step.judge(entry)
