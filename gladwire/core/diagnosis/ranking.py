"""Rank the causes by what was observed: log-odds that add up, each fact once, and become shares."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import NamedTuple

from gladwire.core.diagnosis import likelihood
from gladwire.core.diagnosis.answers import words
from gladwire.core.diagnosis.cause import Cause, Disagreement, Evidence, Owner, OwnerShare, RankedCause, Rests, Unseen
from gladwire.core.diagnosis.causes import CAUSES
from gladwire.core.diagnosis.evidence import ONE_FACT, QUIET, Item, Observed, weigh
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.findings import Finding
from gladwire.core.rulebook import BY_CODE as RULES

# A cause nobody has listed always keeps a share: so likely at the outset (log-odds), and so much of all, however sure the
# others look.
_UNLISTED, _OPEN = 0.8, 0.01
_SHOWN = 4
# Two faults at once: how seldom (log-odds), how much a grave finding must weigh for the second, among how many.
_SECOND_FAULT, _GRAVE, _CONSIDERED = 2.5, 2.0, 6
# And by how much both must be likelier.
_MARGIN = 0.5
_LEAST_SHARE = 0.04
_MOST_EVIDENCE = 4
# What people noted themselves; what weighs so much against the leading cause is told beside it, of so many.
_PEOPLE, _CONTRARY, _MOST_SAID = {"stamps", "contacts"}, 0.7, 2
# Under the first, or with the next within the second of it, the leading cause decides nothing.
_DECIDES, _LEADS = 0.5, 1.6


class Weighed(NamedTuple):
    """A cause with what speaks for and against it, and its share of all that was considered, 0 to 1."""

    cause: Cause
    items: tuple[Item, ...]
    share: float


def weighed(seen: Observed, sharpness: float | None = None) -> tuple[Weighed, ...]:
    """Every cause something speaks for, the likeliest first. sharpness: by which log-odds are scaled, else as counted."""
    if sharpness is None:
        if "weighed" not in seen.worked_out:
            seen.worked_out["weighed"] = _weighed(seen, likelihood.sharpness())
        kept: tuple[Weighed, ...] = seen.worked_out["weighed"]
        return kept
    return _weighed(seen, sharpness)


def _weighed(seen: Observed, by: float) -> tuple[Weighed, ...]:
    scored = [(cause, items) for cause in CAUSES if (items := weigh(cause, seen)) is not None]
    captured = [_captured(cause, items, by) for cause, items in scored]
    odds = [held * _tested(items) for held, (_, items) in zip(captured, scored, strict=True)]
    total = sum(odds) + _OPEN * sum(captured) + math.exp(by * _UNLISTED)
    found = [Weighed(cause, items, held / total) for (cause, items), held in zip(scored, odds, strict=True)]
    return tuple(sorted(found, key=lambda w: (-w.share, w.cause.code)))


def _captured(cause: Cause, items: Sequence[Item], sharpness: float) -> float:
    """Odds by what captures say and how common it is, scaled as counted."""
    return math.exp(sharpness * (sum(i.weight for i in items if not i.answer) + math.log(cause.prior)))


def _tested(items: Sequence[Item]) -> float:
    """Odds by what tests showed, which weigh what they weigh."""
    return math.exp(sum(i.weight for i in items if i.answer))


def rank(seen: Observed, findings: Sequence[Finding]) -> tuple[RankedCause, ...]:
    """The likeliest causes, best first, with the findings they rest on; empty when nothing observed speaks for any."""
    kept = [w for w in weighed(seen) if w.share >= _LEAST_SHARE][:_SHOWN]
    return tuple(_ranked(w, findings, seen) for w in kept)


def owners(seen: Observed) -> tuple[OwnerShare, ...]:
    """What share of the causes each party owns, the largest first; what is left to one is nobody's yet. Empty without
    causes."""
    return owners_of(weighed(seen))


def owners_of(ranked: Sequence[Weighed]) -> tuple[OwnerShare, ...]:
    """The same, of causes that are weighed already."""
    found: dict[Owner, float] = {}
    for w in ranked:
        found[w.cause.owner] = found.get(w.cause.owner, 0.0) + w.share
    sorted_ = sorted(found.items(), key=lambda pair: -pair[1])
    return tuple(OwnerShare(owner=owner, share=round(share, 3)) for owner, share in sorted_ if share >= _LEAST_SHARE)


def rivals(causes: Sequence[RankedCause]) -> tuple[RankedCause, ...]:
    """The two between which it is not decided; empty where one leads far enough to act on it."""
    if len(causes) < 2:
        return ()
    first, second = causes[0].confidence, causes[1].confidence
    return tuple(causes[:2]) if first < _DECIDES or first < _LEADS * second else ()


def rests_on(seen: Observed) -> Rests | None:
    """The one observation without which the leading cause would lose most; None where nothing leads."""
    ranked = weighed(seen)
    if not ranked:
        return None
    lead = ranked[0]
    found = []
    for item in lead.items:
        if item.weight > 0 and (item.finding or item.answer):
            without = weighed(_without(seen, item))
            left = next((w.share for w in without if w.cause is lead.cause), 0.0)
            then = next(iter(without), None)
            found.append((left, item, then))
    if not found:
        return None
    left, item, then = min(found, key=lambda f: (f[0], f[1].code))
    leads = then is not None and then.share >= _LEAST_SHARE
    told = item.finding or _not_there(item, lead.cause)
    return Rests(
        code=item.code,
        text=told.text,
        start_s=told.start_s,
        end_s=told.end_s,
        left=round(left, 3),
        then=then.cause.title if then and leads else "",
        then_share=round(then.share, 3) if then and leads else 0.0,
    )


def _without(seen: Observed, item: Item) -> Observed:
    if item.answer:
        return seen.answered(tuple(a for a in seen.answers if a is not item.answer))
    return replace(seen, heard={code: f for code, f in seen.heard.items() if code != item.code})


def disagreement(seen: Observed) -> Disagreement | None:
    """Where what people said or noted, and what was captured, do not lead to the same cause; None where they do, or where
    one of them is silent."""
    noted = {code: f for code, f in seen.heard.items() if _PEOPLE & set(RULES[code].needs.lanes)}
    whole = weighed(seen)
    counted = tuple(a for a in seen.answers if a.of_record)
    told = [a for a in seen.answers if not a.of_record]
    if not whole or not (noted or told):
        return None
    shown = {code: f for code, f in seen.heard.items() if code not in noted}
    alone = next(iter(weighed(replace(seen, heard=shown, answers=counted))), None)
    lead = whole[0]
    by_people = [item for item in lead.items if item.answer in told or item.code in noted]
    if alone and alone.cause is not lead.cause:
        for_it = [item for item in by_people if item.weight > 0] or by_people
        return Disagreement(
            said=_said(for_it, lead.cause), overruled=False, other=alone.cause.title, share=round(alone.share, 3)
        )
    against = [item for item in by_people if item.weight < -_CONTRARY]
    return Disagreement(said=_said(against, lead.cause), overruled=True) if against else None


def _said(items: Sequence[Item], cause: Cause) -> tuple[str, ...]:
    heaviest = sorted(items, key=lambda item: -abs(item.weight))[:_MOST_SAID]
    return tuple(item.finding.text if item.finding else _not_there(item, cause).text for item in heaviest)


def pair(seen: Observed) -> tuple[Cause, Cause] | None:
    """Two faults at once, where each explains a grave finding the other leaves, and both together are likelier than either
    alone; the cheaper explanation, one fault, is kept where it is as good."""
    ranked = [w for w in weighed(seen) if w.cause.owner != "none"][:_CONSIDERED]
    best: tuple[float, Cause, Cause] | None = None
    for i, first in enumerate(ranked):
        for second in ranked[i + 1 :]:
            if first.cause.test == second.cause.test:
                continue  # one thing by two names
            gains = [_left_to(a, b) for a, b in ((first, second), (second, first))]
            alone = max(_score(first), _score(second))
            together = _both(first, second)
            if min(gains) >= _GRAVE and together > alone + _MARGIN and (best is None or together > best[0]):
                best = (together, first.cause, second.cause)
    return best[1:] if best else None


def _score(w: Weighed) -> float:
    return sum(i.weight for i in w.items) + math.log(w.cause.prior)


def _left_to(first: Weighed, second: Weighed) -> float:
    """What of the grave findings only the second explains, as it weighs for it."""
    told = {i.code for i in first.items if i.weight > 0}
    told |= {code for fact in ONE_FACT if fact & told for code in fact}
    return sum(
        i.weight
        for i in second.items
        if i.weight > 0
        and i.finding
        and i.finding.severity in ("suspect", "fault")
        and i.code not in told
        # What only waits, an earlier fault may hold up.
        and RULES[i.code].rank != "waiting"
    )


def _both(first: Weighed, second: Weighed) -> float:
    """Log-odds of both: each observation by whichever explains it better (noisy-OR), and the price of a second fault."""
    by_code: dict[str, float] = {}
    for item in (*first.items, *second.items):
        by_code[item.code] = max(by_code.get(item.code, -math.inf), item.weight)
    return sum(by_code.values()) + math.log(first.cause.prior * second.cause.prior) - _SECOND_FAULT


def _ranked(w: Weighed, findings: Sequence[Finding], seen: Observed) -> RankedCause:
    cause, test = w.cause, TESTS[w.cause.test]
    weights = {item.code: item for item in w.items if item.finding}
    unseen = [item for item in w.items if not item.finding]
    return RankedCause(
        code=cause.code,
        title=cause.title,
        owner=cause.owner,
        confidence=round(w.share, 3),
        evidence=(
            *_among(findings, cause.speaks_for, weights),
            *(_not_there(i, cause) for i in unseen if i.weight > 0),
        ),
        against=(
            *_among(findings, cause.speaks_against, weights),
            *(_not_there(i, cause) for i in unseen if i.weight < 0),
        ),
        unseen=tuple(
            Unseen(code=code, text=RULES[code].answers, why=seen.blind[code])
            for code in cause.speaks_for
            if seen.blind and code in seen.blind
        ),
        next_test=test.do,
        minutes=test.minutes,
        if_so=cause.if_so,
        if_not=cause.if_not,
        caution=test.caution,
        repair=cause.repair,
        proof=cause.proof,
    )


def _among(
    findings: Sequence[Finding], codes: Mapping[str, float], weights: Mapping[str, Item]
) -> tuple[Evidence, ...]:
    """Findings of these codes, each once; one whose fact another tells better weighs nothing more."""
    found: dict[Evidence, None] = {}
    told: set[str] = set()
    for f in findings:
        if f.code in codes and not f.follows:
            item = weights.get(f.code) if f.code not in told else None
            told.add(f.code)
            weight, counted = (item.weight, item.measured) if item else (0.0, None)
            says = counted.says if counted else ""
            found[
                Evidence(
                    code=f.code, text=f.text, start_s=f.start_s, end_s=f.end_s, weight=round(weight, 2), counted=says
                )
            ] = None
    once = {(e.text, e.start_s, e.end_s): e for e in reversed(found)}
    return tuple(e for e in found if once[e.text, e.start_s, e.end_s] is e)[:_MOST_EVIDENCE]


def _not_there(item: Item, cause: Cause) -> Evidence:
    by_name = item.answer.by_name if item.answer else ""
    if item.answer:
        test = TESTS[item.code]
        own = cause if cause.test == test.key else next((c for c in CAUSES if c.test == test.key), None)
        text = f"{words(test, item.answer.result, own)} {item.answer.text}".strip()
    elif item.before:
        text = item.before.words
    elif item.code == QUIET:
        text = "Nothing that was looked for is suspect."
    else:
        text = f"Not there, and could be seen: {RULES[item.code].answers}."
    return Evidence(
        code=item.code,
        text=text,
        start_s=0.0,
        end_s=0.0,
        weight=round(item.weight, 2),
        counted=item.measured.says if item.measured else "",
        absent=True,
        by_name=by_name,
    )
