"""How a reading of a test is entered and judged."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal, NamedTuple

from gladwire.core.diagnosis.answers import NOT_SO, OPEN, SO, found, outcomes, words
from gladwire.core.diagnosis.causes import CAUSES
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.diagnosis.tests import Test

Verdict = Literal["good", "bad", "unclear"]
_RESULTS = {"good": NOT_SO, "bad": SO, "unclear": OPEN}


class Judged(NamedTuple):
    """What an entered reading says: good or bad, in one sentence, and what to do with it where that is not plain.
    finding: key of the outcome of its test, where it has several."""

    verdict: Verdict
    text: str
    finding: str = ""

    @property
    def result(self) -> str:
        """The outcome of its test."""
        return self.finding or _RESULTS[self.verdict]


class Entry(NamedTuple):
    """One entered reading: a number with its unit, or one of the step's answers."""

    value: float | None
    answer: str
    text: str = ""


class Step(NamedTuple):
    """A test of the catalogue under the same key, and how its reading is entered. expected: the good reading in words;
    unit: of a number to enter, "" for a choice of answers.

    judge: an entry to what it says. contacts: of the connector it speaks of.
    """

    key: str
    title: str
    expected: str
    judge: Callable[[Entry], Judged]
    unit: str = ""
    answers: tuple[tuple[str, str], ...] = ()
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


UNCLEAR = ("unclear", "cannot be told")


def by_outcome(test: Test) -> tuple[Callable[[Entry], Judged], tuple[tuple[str, str], ...]]:
    """(a judge, the answers) of a test by its own outcomes; the judge takes them up as well."""
    own = next((c for c in CAUSES if c.test == test.key), None)
    keys = outcomes(test)

    def judge(entry: Entry) -> Judged:
        if entry.answer not in keys:
            return Judged("unclear", "Not known: it tells nothing yet.")
        find = found(test, entry.answer)
        said = " ".join(part for part in (words(test, entry.answer, own), find.danger if find else "") if part)
        return Judged("good" if entry.answer == NOT_SO else "bad", said, entry.answer)

    in_order = (NOT_SO, *keys[:-1]) if test.finds else keys
    return judge, (*((key, words(test, key, own)) for key in in_order), UNCLEAR)


SKIP = "skip"


def judged(step: Step, entry: Entry) -> Judged:
    """What an entry says; a step left out says nothing, and never stands in the way of another."""
    if entry.answer == SKIP:
        return Judged("unclear", "Left out: it does not apply here, or could not be done.")
    return step.judge(entry)
