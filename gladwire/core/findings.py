"""Findings and the rules that make them: a measured fact held against a published limit, and all that follows from it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, Generic, Literal, NamedTuple, TypeVar

from pydantic import BaseModel, ConfigDict

from gladwire.core.standards.source import Source

Severity = Literal["normal", "note", "suspect", "fault"]
SEVERITIES: tuple[Severity, ...] = ("normal", "note", "suspect", "fault")
Stage = str

# How a finding ranks in the verdict sentence: "capture" must be settled before levels are judged; "waiting" says what a
# session stands still at; "progress", "held" and "ending" tell one that ran, in this order; "telling" stands in for a pilot
# that was not captured; "quiet" is never worth the sentence.
Rank = Literal["", "capture", "waiting", "progress", "held", "ending", "telling", "quiet"]
# What a finding is a consequence of, told as such: an earlier "fault" of the same try (with "suspect" also where it is only
# suspected), a "pilot" that was lost first, any fault that "frames" beside it tell, or a "plug" that is not home and locked.
Follows = Literal["fault", "suspect", "pilot", "frames", "plug"]
Lane = Literal[
    "pilot", "proximity", "lock_current", "lock_position", "mains_v", "mains_a", "contactor", "frames", "bus", "power",
    "stamps", "contacts",
]  # fmt: skip

# A stage that broke is no session in which nothing is wrong (log-weight; common practice, no source).
_BREAKS_WELL = -5.0


class Finding(BaseModel):
    """One fact. Times in seconds of the capture; measured and expected as a person reads them, units included.

    follows: another fault explains it; it is told, and is no evidence of its own.
    """

    model_config = ConfigDict(frozen=True)

    code: str
    severity: Severity
    stage: Stage
    text: str
    start_s: float
    end_s: float
    measured: str = ""
    expected: str = ""
    source: str = ""
    from_memory: bool = False
    follows: bool = False


class Fact(NamedTuple):
    """What a rule's check yields; the rule adds its code, stage and source."""

    severity: Severity
    text: str
    start_s: float
    end_s: float
    measured: str = ""
    expected: str = ""
    stage: Stage | None = None
    source: Source | None = None


class Needs(NamedTuple):
    """What a rule must have before its silence means anything: without it the fact could not be seen.

    lanes: () for the lane the rule belongs to. reached: the stage that must have begun; None for the rule's own, "" for none.
    seconds: how long that must have been seen. rate_hz: samples a second. probe: the end of the cable it can be seen from.
    series: of a power record, any of which must have been read.
    """

    lanes: tuple[Lane, ...] = ()
    reached: Stage | None = None
    seconds: float = 0.0
    rate_hz: float = 0.0
    probe: Literal["", "post", "vehicle"] = ""
    series: tuple[str, ...] = ()


Subject = TypeVar("Subject")


class Rule(NamedTuple, Generic[Subject]):
    """A rule keeps its name, its sentence, its source, its check and all that its finding does together.

    answers: what the rule tells, one line for the rule list. check: subject in, facts out; no fact, no finding.
    breaks, proves, supports: stages; what only supports a stage leaves it unproven. breaks_from: the least severity that
    breaks. derates: the least severity at which a session that held is a derated one. ends: a session that held ends with
    it. stalls: waits longer than anybody would, once suspected. charges_through: a fault a session charges through.
    undecided: with it nothing is known of the session. stands: stays a fault whatever went on after it.
    danger: as a fault it can hurt somebody, and is told before all else. yields_to: lanes
    that tell the same better; beside them it is a note. favours_well: log-weight for (+) or against (−) "nothing wrong";
    None leaves it to `breaks`.
    """

    code: str
    stage: Stage
    source: Source
    answers: str
    check: Callable[[Subject], Iterable[Fact]]
    breaks: tuple[Stage, ...] = ()
    breaks_from: Severity = "fault"
    proves: tuple[Stage, ...] = ()
    supports: tuple[Stage, ...] = ()
    derates: Severity | None = None
    ends: bool = False
    stalls: bool = False
    charges_through: bool = False
    undecided: bool = False
    follows: tuple[Follows, ...] = ("fault",)
    stands: bool = False
    danger: bool = False
    yields_to: tuple[Lane, ...] = ()
    rank: Rank = ""
    favours_well: float | None = None
    needs: Needs = Needs()

    @property
    def well(self) -> float:
        """Log-weight for or against "nothing wrong"."""
        if self.favours_well is not None:
            return self.favours_well
        return _BREAKS_WELL if self.breaks else 0.0

    def breaks_stage(self, finding: Finding, stage: Stage) -> bool:
        """Whether this finding of the rule breaks that stage."""
        return finding.stage == stage and stage in self.breaks and at_least(finding, self.breaks_from)


def at_least(finding: Finding, severity: Severity) -> bool:
    return SEVERITIES.index(finding.severity) >= SEVERITIES.index(severity)


def only(check: Callable[[Subject], Iterable[Fact]], *severities: Severity) -> Callable[[Subject], Iterable[Fact]]:
    """The facts of a check with these severities: what is well and what is wrong have a code of their own."""
    return lambda subject: (fact for fact in check(subject) if fact.severity in severities)


def by_code(rules: Iterable[Rule[Any]]) -> Mapping[str, Rule[Any]]:
    return {rule.code: rule for rule in rules}


def codes(rules: Iterable[Rule[Any]], rank: Rank) -> tuple[str, ...]:
    """Codes of a rank, in the order their rules stand in."""
    return tuple(rule.code for rule in rules if rule.rank == rank)


def proving(rules: Iterable[Rule[Any]], stage: Stage) -> frozenset[str]:
    """Codes of findings that prove a stage."""
    return frozenset(rule.code for rule in rules if stage in rule.proves)


def apply(rules: Iterable[Rule[Subject]], subject: Subject) -> tuple[Finding, ...]:
    """All findings of all rules, gravest first, then by time."""
    found = []
    for rule in rules:
        for fact in rule.check(subject):
            source = fact.source or rule.source
            found.append(
                Finding(
                    code=rule.code,
                    severity=fact.severity,
                    stage=fact.stage or rule.stage,
                    text=fact.text,
                    start_s=fact.start_s,
                    end_s=fact.end_s,
                    measured=fact.measured,
                    expected=fact.expected,
                    source=str(source),
                    from_memory=source.from_memory,
                )
            )
    return gravest_first(found)


def gravest_first(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    return tuple(sorted(findings, key=lambda f: (-SEVERITIES.index(f.severity), f.start_s)))


def first_of(findings: Sequence[Finding], codes: Iterable[str]) -> Finding | None:
    """The first of these, in the order given: gravest, then earliest."""
    wanted = frozenset(codes)
    return next((f for f in findings if f.code in wanted), None)
