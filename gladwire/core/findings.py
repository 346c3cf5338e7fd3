"""Findings and the rules that make them: a measured fact held against a published limit."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Generic, Literal, NamedTuple, TypeVar

from pydantic import BaseModel, ConfigDict

from gladwire.core.standards.source import Source

Severity = Literal["normal", "note", "suspect", "fault"]
SEVERITIES: tuple[Severity, ...] = ("normal", "note", "suspect", "fault")
Stage = str


class Finding(BaseModel):
    """One fact. Times in seconds of the capture; measured and expected as a person reads them, units included."""

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


Subject = TypeVar("Subject")


class Rule(NamedTuple, Generic[Subject]):
    """A rule keeps its name, its sentence, its source and its check together.

    answers: what the rule tells, one line for the rule list. check: subject in, facts out; no fact, no finding.
    """

    code: str
    stage: Stage
    source: Source
    answers: str
    check: Callable[[Subject], Iterable[Fact]]


def only(check: Callable[[Subject], Iterable[Fact]], *severities: Severity) -> Callable[[Subject], Iterable[Fact]]:
    """The facts of a check with these severities: what is well and what is wrong have a code of their own."""
    return lambda subject: (fact for fact in check(subject) if fact.severity in severities)


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
    return tuple(sorted(found, key=lambda f: (-SEVERITIES.index(f.severity), f.start_s)))
