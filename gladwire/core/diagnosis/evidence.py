"""What was observed, as evidence: each fact once, seen or looked for and not there; what another fault explains, and what
could not be seen, weigh nothing.

To say that two findings are one fact: add their codes to a line. Common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

from gladwire.core.answers import Answer, Before
from gladwire.core.diagnosis import answers as results
from gladwire.core.diagnosis import likelihood
from gladwire.core.diagnosis.cause import Cause
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.findings import SEVERITIES, Finding, Severity

# A mere note speaks more softly than a fault. Normal facts speak fully: they are what rules a cause out.
LOUDNESS: Mapping[Severity, float] = {"normal": 1.0, "note": 0.8, "suspect": 0.9, "fault": 1.0}

ONE_FACT: tuple[frozenset[str], ...] = (
    # A level that is lifted, in however many states and words.
    frozenset({
        "series_resistance", "pilot_level_thin_margin", "pilot_level_between_states", "asked_behind_resistance",
    }),
    # A contact that opened.
    frozenset({"pilot_interrupted", "pilot_lost_while_asking", "pilot_gone_at_inlet"}),
    # A pilot that goes down with nothing there yet.
    frozenset({"pilot_falls_from_rest", "pulled_down_by_plug"}),
    # A line that carries little.
    frozenset({"slac_weak", "slac_sounds_lost"}),
    # A duty that is not allowed, for sure or perhaps.
    frozenset({"duty_forbidden", "duty_at_the_edge"}),
    # A post that says it stops.
    frozenset({"post_emergency", "post_malfunction", "post_status"}),
    # A party that is gone in the middle: it says nothing more, or its connection goes.
    frozenset({"vehicle_silent", "vehicle_closed"}),
    frozenset({"post_silent", "connection_closed"}),
    # A lock that lets go, or does not.
    frozenset({"lock_released", "lock_not_released"}),
    # A limit of the post that falls.
    frozenset({"post_lowers_limit", "offer_lowered"}),
)  # fmt: skip
# Tests that ask the same: what they say alike counts once.
ONE_QUESTION: tuple[frozenset[str], ...] = (
    frozenset({"others_here", "swap_vehicle"}),
    frozenset({"elsewhere", "swap_post", "mode2_ok"}),
)
# Stands for the observation that nothing suspect was found, and for how often a cause was it here before.
QUIET, BEFORE = "nothing_suspect", "seen_before"
_FACT_OF = {code: number for number, codes in enumerate(ONE_FACT) for code in codes}
_QUESTION_OF = {key: number for number, keys in enumerate(ONE_QUESTION) for key in keys}
# What is not there weighs no more than this, all together: the simulator expects more than the world keeps.
_MOST_ABSENT = 3.0
# What was counted elsewhere in the record, and nobody looked whether it failed in the same way.
_OF_RECORD = 0.5


@dataclass(frozen=True)
class Observed:
    """What a session shows. heard: of each code the gravest finding that is evidence. blind: by code, what was missing for it
    to be seen; None where nobody said what could be seen, so that no absence counts. answers: what tests showed, of each the
    last. ac: the lead is a part of its own. complaint: codes of causes that may be it though nothing yet speaks for them.
    before: by code, what closed cases say. worked_out: what was made of just this, and by_captures and by_silence what they
    weigh by a cause's code, so that it is made once.
    """

    heard: Mapping[str, Finding] = field(default_factory=dict)
    blind: Mapping[str, str] | None = None
    answers: tuple[Answer, ...] = ()
    ac: bool = True
    complaint: frozenset[str] = frozenset()
    before: Mapping[str, Before] = field(default_factory=dict)
    worked_out: dict[str, Any] = field(default_factory=dict, init=False, compare=False, repr=False)
    by_captures: dict[str, tuple[Item, ...]] = field(default_factory=dict, init=False, compare=False, repr=False)
    by_silence: dict[str, tuple[Item, ...]] = field(default_factory=dict, init=False, compare=False, repr=False)

    def answered(self, answers: tuple[Answer, ...]) -> Observed:
        """The same captures in the light of other answers."""
        other = replace(self, answers=answers)
        other.by_captures.update(self.by_captures)
        other.by_silence.update(self.by_silence)
        return other

    @property
    def is_quiet(self) -> bool:
        """Whether nothing was found suspect or at fault."""
        return all(f.severity in ("normal", "note") for f in self.heard.values())

    def looked_for(self, code: str) -> bool:
        """Whether it could have been seen and is not there; a fact told in other words is."""
        told = {_FACT_OF.get(c, c) for c in self.heard}
        return self.blind is not None and code not in self.blind and _FACT_OF.get(code, code) not in told


class Item(NamedTuple):
    """One observation in the light of a cause. weight: logarithm of odds, for it where positive. finding: None where it was
    looked for and is not there, where it is the result of a test (answer), and where closed cases say it (before).
    declared: what the cause says of it; measured: what was counted, if anything was.
    """

    code: str
    weight: float
    finding: Finding | None
    declared: float
    measured: likelihood.Measured | None
    answer: Answer | None = None
    before: Before | None = None


def observed(
    findings: Sequence[Finding],
    blind: Mapping[str, str] | None = None,
    answers: Sequence[Answer] = (),
    ac: bool = True,
    before: Mapping[str, Before] | None = None,
) -> Observed:
    """What findings say, each code at its gravest. What follows from another fault says nothing of its own."""
    heard: dict[str, Finding] = {}
    for finding in findings:
        if not finding.follows and (finding.code not in heard or _loudness(finding) > _loudness(heard[finding.code])):
            heard[finding.code] = finding
    last = {answer.test: answer for answer in answers if answer.test in TESTS}
    return Observed(heard, blind, tuple(last.values()), ac, before=before or {})


def _loudness(finding: Finding) -> tuple[float, int]:
    return LOUDNESS[finding.severity], SEVERITIES.index(finding.severity)


def weigh(cause: Cause, seen: Observed) -> tuple[Item, ...] | None:
    """What speaks for and against a cause, of each fact the weightiest. None where the cause is not considered: no finding
    speaks for it, no result of a test points at it, and no complaint names it."""
    if not (seen.answers or seen.complaint or _named(cause, seen)):
        return None  # most causes, most of the time
    spoken = seen.by_captures.get(cause.code)
    if spoken is None:
        spoken = seen.by_captures[cause.code] = tuple(_once(_heard(cause, seen)))
    if not (any(item.declared > 0 for item in spoken) or _considered(cause, seen)):
        return None
    silent = seen.by_silence.get(cause.code)
    if silent is None:
        silent = seen.by_silence[cause.code] = tuple(_silent(cause, seen))
    return (*spoken, *silent, *_told(cause, seen), *_before(cause, seen))


def _silent(cause: Cause, seen: Observed) -> Iterator[Item]:
    if cause.quiet and seen.is_quiet and seen.heard:
        yield Item(QUIET, cause.quiet, None, cause.quiet, None)
    yield from _bounded(_absent(cause, seen))


def _considered(cause: Cause, seen: Observed) -> bool:
    """A complaint names it, or something looked at or measured points at it; what was only asked brings nothing in."""
    shown = (a for a in seen.answers if TESTS[a.test].kind != "ask")
    return cause.code in seen.complaint or any(results.points_at(TESTS[a.test], a.result, cause) for a in shown)


def asked_already(test: str, answers: Sequence[Answer]) -> bool:
    """Whether it was answered, or another that asks the same was; what the record says elsewhere is still worth asking."""
    same = _QUESTION_OF.get(test)
    return any(
        a.test == test or (same is not None and _QUESTION_OF.get(a.test) == same and a.result != results.OPEN)
        for a in answers
        if a.of_record != "elsewhere"
    )


def _told(cause: Cause, seen: Observed) -> Iterator[Item]:
    """Results of tests; what several say alike to one question counts once."""
    kept: dict[tuple[str | int, bool], Item] = {}
    for answer in seen.answers:
        said = results.weight(TESTS[answer.test], answer.result, cause, seen.ac)
        said *= _OF_RECORD if answer.of_record == "elsewhere" else 1.0
        if said:
            key = (_QUESTION_OF.get(answer.test, answer.test), said > 0)
            if key not in kept or abs(said) > abs(kept[key].weight):
                kept[key] = Item(answer.test, said, None, said, None, answer)
    yield from kept.values()


def _before(cause: Cause, seen: Observed) -> Iterator[Item]:
    told = seen.before.get(cause.code)
    if told and told.weight:
        yield Item(BEFORE, told.weight, None, told.weight, None, None, told)


def sign(cause: Cause, code: str, finding: Finding | None = None) -> Item | None:
    """What a finding of this code weighs, as it was heard or at its loudest; None where the cause does not name it."""
    soft = finding is not None and finding.severity == "note"
    loud = LOUDNESS[finding.severity] if finding else 1.0
    counted = likelihood.seen(cause.code, code, soft)
    # What is declared to speak for a cause never counts against it, however seldom it was played, and the reverse.
    if code in cause.speaks_for:
        if counted and not counted.plays.loud + counted.plays.soft:
            counted = None  # the simulator does not play this side of it
        declared = loud * cause.speaks_for[code]
        return Item(code, max(0.0, likelihood.blended(declared, counted)), finding, declared, counted)
    if code in cause.speaks_against:
        declared = -loud * cause.speaks_against[code]
        return Item(code, min(0.0, likelihood.blended(declared, counted)), finding, declared, counted)
    return None


def _heard(cause: Cause, seen: Observed) -> Iterator[Item]:
    yield from (item for code in _named(cause, seen) if (item := sign(cause, code, seen.heard[code])))


def _named(cause: Cause, seen: Observed) -> list[str]:
    """Codes that were heard and that the cause names."""
    speaks_for, speaks_against = cause.speaks_for, cause.speaks_against
    return [code for code in seen.heard if code in speaks_for or code in speaks_against]


def _once(items: Iterator[Item]) -> Iterator[Item]:
    """Of each fact the weightiest for, and the weightiest against."""
    kept: dict[tuple[str | int, bool], Item] = {}
    for item in items:
        key = (_FACT_OF.get(item.code, item.code), item.declared > 0)
        if key not in kept or abs(item.weight) > abs(kept[key].weight):
            kept[key] = item
    yield from kept.values()


def _absent(cause: Cause, seen: Observed) -> Iterator[Item]:
    for code in cause.speaks_for:
        counted = likelihood.absent(cause.code, code) if seen.looked_for(code) else None
        if counted is not None and counted.weight < 0:
            yield Item(code, counted.weight, None, 0.0, counted)


def _bounded(items: Iterator[Item]) -> Iterator[Item]:
    left = -_MOST_ABSENT
    for item in sorted(_once(items), key=lambda item: item.weight):
        kept = max(item.weight, left)
        left -= kept
        if kept < 0:
            yield item._replace(weight=kept)
