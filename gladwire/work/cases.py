"""A stored case as the core sees it: entries of its checklist, attempts, what it knows for its walk, and the proof of every
mode that was reported.
"""

from __future__ import annotations

import itertools
import json
from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from typing import NamedTuple, get_args

from sqlalchemy.orm import Session

from gladwire.core.answers import Answer
from gladwire.core.case.checklist.plan import BY_PLAN, Plan
from gladwire.core.case.checklist.step import SKIP, UNCLEAR, Entry
from gladwire.core.case.checklist.step import Judged as Said
from gladwire.core.case.checklist.steps import answer_of, step_of
from gladwire.core.case.checklist.walk import Known, Walk, next_words, walk
from gladwire.core.case.intake import Warned, warned_by
from gladwire.core.case.memory import by_attempts
from gladwire.core.case.proof import BY_KEY as MODES
from gladwire.core.case.proof import (
    FELL_SHORT,
    ModeProof,
    Stood,
    Tried,
    before_and_after,
    like_with_like,
    proofs,
    swapped,
)
from gladwire.core.case.swaps import Attempt, Came, Part
from gladwire.core.diagnosis.answers import NOT_SO, danger_of
from gladwire.core.diagnosis.cause import OwnerShare
from gladwire.core.diagnosis.evidence import observed
from gladwire.core.diagnosis.ranking import owners_of
from gladwire.core.diagnosis.situation import HERE, Situation
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.diagnosis.tests import TOOLS
from gladwire.core.power.equipment import Kind
from gladwire.core.scene.spine import AC_SPINE, DC_SPINE
from gladwire.core.session.stored import Judged
from gladwire.store.equipment import label_of, named
from gladwire.store.judgements import judged_of
from gladwire.store.kept_parsed import KeptParsed
from gladwire.store.models import Attempt as KeptAttempt
from gladwire.store.models import Case, ChargingSession, Observation, TakesPart
from gladwire.store.shapes import OldShapeError


def standing(case: Case, kind: str) -> list[Observation]:
    """Observations of a kind that were not struck out, in order."""
    return [o for o in case.observations if o.kind == kind and not o.struck_by]


def plan_of(case: Case) -> Plan | None:
    """The checklist chosen last, if one was."""
    chosen = standing(case, "plan")
    return BY_PLAN.get(chosen[-1].place) if chosen else None


def repaired_at(case: Case) -> list[datetime]:
    return [o.made_at for o in standing(case, "repair")]


def between_repairs(case: Case, made: datetime, at: datetime | None = None) -> bool:
    """Whether something is of the same time between two repairs as `at`, or as now: what was found before a repair does not
    speak of what is left after it."""
    repairs = repaired_at(case)
    begins = max((r for r in repairs if at is None or r <= at), default=made)
    ends = min((r for r in repairs if at is not None and r > at), default=made)
    return (begins is made or made > begins) and made <= ends


def entry_of(o: Observation) -> Entry:
    """What was entered: a number, or an answer by its key."""
    return Entry(o.value, o.unit if o.unit == SKIP or not step_of(o.place).unit else "", o.text)


def steps_noted(case: Case, at: datetime | None = None) -> dict[str, Observation]:
    """The latest entry of every step since the last repair, or in the time of `at`."""
    return {o.place: o for o in standing(case, "step") if o.place in TESTS and between_repairs(case, o.made_at, at)}


def answer_noted(o: Observation) -> Answer:
    """What an entry of the checklist, or a result noted on a session, says to the judge; `unit` holds the latter."""
    if o.kind == "step":
        return answer_of(o.place, entry_of(o), o.by_name)
    return Answer(test=o.place, result=o.unit, text=o.text, by_name=o.by_name)


class TriedWith(NamedTuple):
    """An attempt, of a session or without a capture. session: its number, or None. stage: the furthest it got, in words."""

    attempt: Attempt
    session: int | None
    text: str
    at: datetime
    stage: str = ""


_CAME: Mapping[str, Came] = {
    "charged": "charged", "failed_to_start": "failed", "dropped_out": "failed", "derated": "failed",
}  # fmt: skip


def came_of(session: ChargingSession) -> Came:
    """What came of it, by its newest judgement."""
    told = session.judgement.outcome if session.judgement and not session.judgement.refusal else ""
    return _CAME.get(told, "open")


def _others(session: ChargingSession) -> bool:
    """Whether it was captured for a test with others than the case is about, or with none."""
    test = TESTS.get(session.step)
    return test is not None and (test.others or test.elsewhere)


def parts_of(session: ChargingSession) -> dict[Part, str]:
    """What took part, as it was said; of the first session of a case else what the case names."""
    case, parts = session.case, pieces_named(session)
    if case is not None and case.sessions[:1] == [session] and not _others(session):
        parts = {**named_by(case), **parts}
    return parts


def named_by(case: Case) -> dict[Part, str]:
    """The vehicle and the post a case names in words; where a piece that took part in it has that name, by its label: one
    post called two ways is no other post."""
    tried = (*case.sessions, *case.attempts)
    found: dict[Part, str] = {}
    words: tuple[tuple[Part, str], ...] = (("vehicle", case.vehicle), ("post", case.post))
    for part, text in words:
        pieces = (getattr(one, KIND_OF[part]) for one in tried)
        labels = {label_of(piece) for piece in pieces if piece and text in (piece.name, label_of(piece))}
        if text:
            found[part] = labels.pop() if len(labels) == 1 else text
    return found


# Kinds of equipment, which are the names of the columns too.
KIND_OF: Mapping[Part, Kind] = {
    "vehicle": "vehicle", "post": "stall", "lead": "lead", "adapter": "adapter", "controller": "controller",
}  # fmt: skip


def pieces_named(tried: TakesPart) -> dict[Part, str]:
    """Labels of what took part in a session or an attempt, as far as it is known."""
    found: dict[Part, str] = {}
    for part, column in KIND_OF.items():
        if label := label_of(getattr(tried, column)):
            found[part] = label
    return {**found, "software": tried.software} if tried.software else found


def take_part(db: Session, tried: TakesPart, parts: Mapping[Part, str], by_name: str, whole: bool = False) -> None:
    """Set what took part by the names somebody typed. whole: what is not named did not take part; else it stays. Raises
    ValueError for a name of several."""
    for part, column in KIND_OF.items():
        text = parts.get(part, "")
        if text or whole:
            setattr(tried, column, named(db, column, text, by_name))
    if parts.get("software") or whole:
        tried.software = parts.get("software", "")


def attempts_of(case: Case) -> list[TriedWith]:
    """Every session, and attempts that were noted without a capture."""
    found = [TriedWith(Attempt(parts_of(s), came_of(s)), s.id, "", s.created_at, _reached(s)) for s in case.sessions]
    return found + [attempted(one) for one in case.attempts if not one.struck_by]


def attempted(kept: KeptAttempt) -> TriedWith:
    """An attempt without a capture."""
    came: Came = next((c for c in get_args(Came) if c == kept.came), "open")
    return TriedWith(
        Attempt(pieces_named(kept), came), None, kept.said, kept.made_at, _STAGE_TITLES.get(kept.stage, "")
    )


_STAGE_TITLES = {s.key: s.title for s in (*AC_SPINE, *DC_SPINE)}


def _reached(session: ChargingSession) -> str:
    """The furthest stage that is proven before one that failed."""
    stages = itertools.takewhile(lambda s: s.state != "failed", stages_of(session))
    return next((s.title for s in reversed(list(stages)) if s.state == "proven"), "")


def answers_of_attempts(case: Case, parts: Mapping[Part, str], session: ChargingSession | None) -> Iterator[Answer]:
    """What other attempts of the case answer about these parts, of the time of a session, or of now."""
    at = session.created_at if session else None
    others = [
        t.attempt
        for t in attempts_of(case)
        if (session is None or t.session != session.id) and between_repairs(case, t.at, at)
    ]
    yield from by_attempts({part: name for part, name in parts.items() if name}, others, "in this case", "case")


def situation_of(case: Case) -> Situation:
    """What was said last of tools and ways; nothing said is everything at hand."""
    said = standing(case, "situation")
    if not said:
        return HERE
    kept = json.loads(said[-1].text)
    tools = kept.get("tools")
    return Situation(
        frozenset(tools) & frozenset(TOOLS) if tools is not None else None,
        int(kept.get("away_min", 0)),
        int(kept.get("other_post_min", 0)),
    )


def speaks_now(case: Case) -> ChargingSession | None:
    """The session that speaks for the case now, of those that were judged since the last repair: the newest, unless it was
    tried with another vehicle, post or part than one before it that fell short."""
    since = [
        (session, tried)
        for session, tried in zip(_told(case), tried_in(case), strict=True)
        if between_repairs(case, session.created_at)
    ]
    since = [(session, one) for session, one in since if not one.others]
    tried = [one for _, one in since]
    wrong = [n for n, one in enumerate(tried) if (one.outcome in FELL_SHORT or one.danger) and _stands(tried, n)]
    return since[wrong[-1] if wrong else -1][0] if since else None


def _stands(tried: Sequence[Tried], n: int) -> bool:
    """Whether nothing later was tried with the same parts, as far as they are known."""
    return not any(like_with_like(tried[n], later) for later in tried[n + 1 :])


def _told(case: Case) -> list[ChargingSession]:
    return [s for s in case.sessions if s.judgement and not s.judgement.refusal]


def _judged(session: ChargingSession | None) -> Judged | None:
    """Its judgement; None for one of an older shape, which is about to be made anew."""
    try:
        return judged_of(session.judgement) if session and session.judgement else None
    except OldShapeError:
        return None


# What a capture stands for on a checklist, by the stages its session has.
_BY_PILOT, _BY_FRAMES = "plug_in", "dc_frames"
_BY_CODE = {"power": "dc_course", "can": "bus_log"}


def known_of(case: Case) -> Known:
    """What the case knows beside its checklist: what its newest session shows, and what was noted there."""
    session = speaks_now(case)
    told = _judged(session)
    if session is None or told is None:
        return Known(answers=tuple(answers_of_attempts(case, named_by(case), None)), situation=situation_of(case))
    judgement = told.judgement
    noted = [answer_noted(o) for o in session.observations if o.kind == "test" and not o.struck_by]
    dc = any(s.stage == "precharge" for s in judgement.stages)
    said = Said("good" if judgement.outcome == "charged" else "bad", f"{session.title}: {judgement.verdict}")
    codes = {f.code.split("_")[0] for f in judgement.findings}
    shown = [_BY_FRAMES if dc else _BY_PILOT, *(key for begins, key in _BY_CODE.items() if begins in codes)]
    return Known(
        seen=observed(judgement.findings, judgement.blind, (), judgement.ac, judgement.before),
        findings=judgement.findings,
        captured=dict.fromkeys(shown, said),
        answers=(*judgement.record, *noted),
        situation=situation_of(case),
    )


def walk_of(case: Case) -> Walk | None:
    """Its plan walked with all that is known; None where no plan was chosen."""
    plan = plan_of(case)
    entries = {key: entry_of(o) for key, o in steps_noted(case).items()}
    return walk(plan, entries, known_of(case)) if plan else None


def waits_for(case: Case) -> str:
    """What the case waits for by its checklist; "" without one. Worked out once for what it is made of."""
    judged = speaks_now(case)
    made_of = (
        case.id,
        tuple((o.id, bool(o.struck_by)) for o in case.observations),
        tuple((a.id, bool(a.struck_by)) for a in case.attempts) if plan_of(case) else (),
        judged.judgement.id if judged and judged.judgement else None,
        judged.judgement.made_at if judged and judged.judgement else None,
    )
    kept = _waits.get(made_of)
    if kept is None:
        found = walk_of(case)
        kept = _waits.put(made_of, next_words(found) if found else "")
    return kept


_waits: KeptParsed[str] = KeptParsed(8192)


class Standing(NamedTuple):
    """What the judge says of a case as a whole. verdict: of its newest session since the last repair, "" without one; causes:
    code, title and share; repaired: a repair since, which makes everything be asked anew."""

    verdict: str
    outcome: str
    owners: tuple[OwnerShare, ...]
    causes: tuple[tuple[str, str, float], ...]
    repaired: bool


_LISTED = 3


def standing_of(case: Case) -> Standing:
    """By its checklist where one was chosen, else by its newest session."""
    session, found = speaks_now(case), walk_of(case)
    told = session.judgement if session else None
    verdict, outcome = (told.verdict, told.outcome) if told else ("", "unknown")
    repaired = bool(repaired_at(case))
    if found:
        causes = tuple((w.cause.code, w.cause.title, w.share) for w in found.ranked[:_LISTED])
        return Standing(verdict, outcome, owners_of(found.ranked), causes, repaired)
    judged = _judged(session)
    if judged is None:
        return Standing(verdict, outcome, (), (), repaired)
    of = judged.judgement
    causes = tuple((c.code, c.title, c.confidence) for c in of.causes[:_LISTED])
    return Standing(verdict, outcome, of.owners, causes, repaired)


def reported(case: Case) -> list[str]:
    return [key for key in case.modes.split(",") if key in MODES]


def stages_of(session: ChargingSession) -> tuple[Stood, ...]:
    """How each stage of a session stood, by its newest judgement."""
    told = session.judgement
    if told is None:
        return ()
    key = (told.id, told.made_at)
    kept = _stood.get(key)
    if kept is None:
        stood = (Stood(s["stage"], s["title"], s["state"]) for s in json.loads(told.stages))
        kept = _stood.put(key, tuple(stood))
    return kept


_stood: KeptParsed[tuple[Stood, ...]] = KeptParsed(8192)


class Unsafe(NamedTuple):
    """What can hurt, in words. before_repair: it was told before the last repair, and nothing captured since says that it is
    gone."""

    says: str
    before_repair: bool = False


def unsafe(case: Case) -> Unsafe | None:
    """What its newest session tells that can hurt, or one before it that was tried with another vehicle, post or part, or
    what was found on its checklist; None where nothing does."""
    found = danger_of(answer_noted(o) for o in steps_noted(case).values())
    told, tried = _told(case), tried_in(case)
    hurts = next((told[n] for n in reversed(range(len(told))) if _hurts(told[n]) and _stands(tried, n)), None)
    if hurts is None or hurts.judgement is None:
        return Unsafe(found) if found else None
    verdict = hurts.judgement.verdict
    if not between_repairs(case, hurts.created_at):
        return Unsafe(found) if found else Unsafe(verdict, before_repair=True)
    return Unsafe(verdict if found in verdict else f"{found} {verdict}")


def _hurts(session: ChargingSession) -> bool:
    leaks = any(s.stage == "insulation" and s.state == "failed" for s in stages_of(session))
    return leaks or bool(session.judgement and session.judgement.danger)


def tried_in(case: Case) -> list[Tried]:
    """Its sessions that were judged, in order."""
    repairs, found = repaired_at(case), []
    for session in _told(case):
        judgement = session.judgement
        if judgement is None:
            continue
        before = sum(at <= session.created_at for at in repairs)
        parts = {
            str(part): str(n) for part, kind in KIND_OF.items() if (n := getattr(session, f"{kind}_id")) is not None
        }
        later = len(repairs) > before
        stages = stages_of(session)
        told = Tried(
            session.mode,
            session.title,
            judgement.outcome,
            stages,
            later,
            judgement.danger,
            parts,
            before,
            _others(session),
        )
        found.append(told)
    return found


def proofs_of(case: Case) -> tuple[ModeProof, ...]:
    """One proof for each reported mode. An attempt without a capture proves nothing; one that failed since leaves it open."""
    sessions = tried_in(case)
    found = proofs(reported(case), sessions)
    if not any(proof.state == "proven" for proof in found):
        return found
    failed = [one for one in case.attempts if one.came == "failed" and not one.struck_by]
    noted = [(one.made_at, Tried("", "An attempt without a capture", "failed_to_start", (), False)) for one in failed]
    captured = zip((session.created_at for session in _told(case)), sessions, strict=True)
    in_order = sorted((*captured, *noted), key=lambda made: made[0])
    return proofs(reported(case), [tried for _, tried in in_order])


class Pair(NamedTuple):
    """The last session of a mode that fell short, and the newest after it. other: parts known to be others."""

    before: ChargingSession
    after: ChargingSession
    other: tuple[str, ...]


def pairs_of(case: Case) -> dict[str, Pair]:
    """By mode."""
    told, tried = _told(case), tried_in(case)
    return {m: Pair(told[a], told[b], swapped(tried[a], tried[b])) for m, (a, b) in before_and_after(tried).items()}


def unproven(found: Sequence[ModeProof]) -> tuple[str, ...]:
    """Modes that stand in the way of "mended"."""
    return tuple(p.mode for p in found if p.state != "proven") if found else ("no mode was reported",)


def asks_codes_after(case: Case) -> bool:
    """Whether codes were noted before, and nobody said since the last repair what became of them."""
    before = [o for o in case.observations if not o.struck_by and (o.kind == "code" or o.place == "codes")]
    told = [o.unit for o in before if o.place == "codes"]
    noted = any(o.kind == "code" for o in before) or any(answer not in (NOT_SO, SKIP, UNCLEAR[0]) for answer in told)
    return noted and "codes_after" not in steps_noted(case)


def to_close(case: Case) -> str:
    """What is left of a case whose every reported mode is proven; "" where one is not, or where something can hurt."""
    if unproven(proofs_of(case)) or unsafe(case):
        return ""
    codes = "Read the stored codes again, then close it." if asks_codes_after(case) else "Close it."
    return f"Every reported mode is proven. {codes}"


def warned(case: Case) -> Warned | None:
    """What was told that can hurt, in the complaint or noted since the last repair, until somebody has looked; None for a
    case that is closed."""
    looked = any(o.place == _LOOKED for o in standing(case, "step"))
    noted = (o.text for kind in ("note", "code") for o in standing(case, kind) if between_repairs(case, o.made_at))
    return None if looked or case.state != "open" else warned_by("\n".join((case.title, case.complaint, *noted)))


_LOOKED = "look"
