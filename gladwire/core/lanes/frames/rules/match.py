"""Match: does the vehicle find its post over the line, the right one, loud enough, and do the modems join."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from gladwire.core.findings import Fact, Needs, Rule, Severity
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.plc.slac import SlacRun
from gladwire.core.standards.slac_limits import (
    APART_DB,
    FOUND_DB,
    JOIN_MAX_S,
    MATCH_RESPONSE_MAX_S,
    MATCHING_SOURCE,
    POSSIBLE_DB,
    RETRIES,
    SEQUENCE_MAX_S,
)
from gladwire.core.standards.source import PRACTICE
from gladwire.core.standards.v2g_timers import SETTLED_S
from gladwire.core.words import seconds

_LOOPS = ("CurrentDemand", "ChargingStatus")


def db(value: float) -> str:
    return f"{value:.1f} dB"


def _matched(record: ConversationRecord) -> Iterator[Fact]:
    for run in record.slac:
        if run.result != "matched" or run.match_answered_at_s is None:
            continue
        took = run.match_answered_at_s - run.start_s
        loud = f" at {db(run.chosen.average_db)}" if run.chosen else ""
        keys = f", keys set at {run.key_set_at_s:.2f} s" if run.key_set_at_s is not None else ""
        joined = f", link used {seconds(run.joined_at_s - run.match_answered_at_s)} later" if run.joined_at_s else ""
        text = f"The vehicle {run.ev_mac} matched with {run.evse_mac or 'a post'}{loud} within {seconds(took)}{keys}{joined}."
        measured = db(run.chosen.average_db) if run.chosen else "matched"
        yield Fact("normal", text, run.start_s, run.match_answered_at_s, measured, FOUND_DB.says)


def _no_answer(record: ConversationRecord) -> Iterator[Fact]:
    """Only where nobody answers any run: a vehicle retries with new identities."""
    silent = [r for r in record.slac if r.result == "no_answer"]
    if not silent or any(r.answers for r in record.slac):
        return
    asked = sum(r.requests for r in silent)
    text = (
        f"The vehicle asked {asked} times for matching parameters from {silent[0].start_s:.2f} s on, and no post answered: "
        "the post's modem is off or not listening, or the line between them is open."
    )
    yield Fact("fault", text, silent[0].start_s, silent[-1].end_s, f"{asked} requests, 0 answers", "an answer")


def _incomplete(record: ConversationRecord, by_vehicle: bool) -> Iterator[Fact]:
    for index, run in enumerate(record.slac):
        over = record.end_s - run.end_s > SETTLED_S
        last = all(r.ev_mac != run.ev_mac for r in record.slac[index + 1 :])
        if run.result != "incomplete" or not over or not (last or run.answers):
            continue
        if run.answers and not run.sounds_sent:
            what, owner = "and then sent no sounds", "the vehicle gave up"
        elif run.sounds_sent and not run.profiles:
            what, owner = f"sent {run.sounds_sent} sounds and got no attenuation back", "the post gave no result"
        elif run.profiles and run.match_asked_at_s is None:
            what, owner = "heard how it was received and did not ask to match", "the vehicle refused the post"
        else:
            continue
        if owner.startswith("the vehicle") != by_vehicle:
            continue
        text = f"Matching broke off: from {run.start_s:.2f} s on the vehicle was answered, {what}: {owner}."
        yield Fact("fault", text, run.start_s, run.end_s, owner, "a match")


def _rejected(record: ConversationRecord) -> Iterator[Fact]:
    for run in record.slac:
        # A vehicle that talks over the link afterwards was confirmed, whether the capture shows it or not.
        went_on = any(t.ev_mac == run.ev_mac and t.start_s > run.start_s for t in record.connections)
        if run.result == "rejected" and run.match_asked_at_s is not None and not went_on:
            text = (
                f"The vehicle asked {run.matched_mac or 'the post'} {run.match_requests} times to match, first at "
                f"{run.match_asked_at_s:.2f} s, and got no confirmation."
            )
            yield Fact("fault", text, run.match_asked_at_s, run.end_s, "no confirmation", MATCH_RESPONSE_MAX_S.says)


def _weak(record: ConversationRecord) -> Iterator[Fact]:
    for run in record.slac:
        chosen = run.chosen
        if chosen is None or chosen.average_db <= FOUND_DB:
            continue
        carried = any(t.ev_mac == run.ev_mac and t.start_s > run.start_s and t.of(*_LOOPS) for t in record.connections)
        severity: Severity = "suspect" if chosen.average_db > POSSIBLE_DB and not carried else "note"
        means = "possible, but not loud."
        if chosen.average_db > POSSIBLE_DB:
            means = "another outlet, or a bad contact of CP or PE."
            means = "little, yet the line carried a charge loop after it." if carried else means
        text = f"{chosen.evse_mac} hears the vehicle at {db(chosen.average_db)} below what was sent: {means}"
        limit = f"{FOUND_DB.says} found, {POSSIBLE_DB.says} possible"
        yield Fact(severity, text, chosen.time_s, chosen.time_s, db(chosen.average_db), limit)


def _wrong_post(record: ConversationRecord) -> Iterator[Fact]:
    for run in record.slac:
        mine = run.profile_of(run.matched_mac)
        best = min(run.profiles, key=lambda p: p.average_db, default=None)
        if mine and best and best.evse_mac != mine.evse_mac:
            text = (
                f"The vehicle matched {mine.evse_mac} at {db(mine.average_db)} although {best.evse_mac} hears it at "
                f"{db(best.average_db)}: it talks to another post than the one it is plugged into."
            )
            when = run.match_asked_at_s or mine.time_s
            yield Fact(
                "fault", text, when, run.end_s, f"{db(mine.average_db)} chosen", f"{db(best.average_db)} is the least"
            )


def _ambiguous(record: ConversationRecord) -> Iterator[Fact]:
    for run in record.slac:
        loud = sorted(run.profiles, key=lambda p: p.average_db)
        if len(loud) > 1 and loud[1].average_db - loud[0].average_db < APART_DB:
            text = (
                f"{loud[0].evse_mac} and {loud[1].evse_mac} hear the vehicle almost alike, {db(loud[0].average_db)} and "
                f"{db(loud[1].average_db)}: which one it is plugged into cannot be told from that."
            )
            yield Fact(
                "suspect",
                text,
                loud[0].time_s,
                loud[1].time_s,
                db(loud[1].average_db - loud[0].average_db),
                APART_DB.says,
                source=PRACTICE,
            )


def _several(record: ConversationRecord) -> Iterator[Fact]:
    for run in record.slac:
        posts = list(dict.fromkeys([a.evse_mac for a in run.answers] + [p.evse_mac for p in run.profiles]))
        if len(posts) > 1:
            listed = ", ".join(
                f"{m} {db(p.average_db)}" if (p := run.profile_of(m)) else f"{m} without a result" for m in posts
            )
            text = f"{len(posts)} posts answered the vehicle: {listed}. The least attenuated is the one it is plugged into."
            yield Fact("note", text, run.start_s, run.end_s, f"{len(posts)} posts", "one")


def _sounds(record: ConversationRecord) -> Iterator[Fact]:
    for run in record.slac:
        chosen = run.chosen
        if chosen and run.sounds_announced and chosen.sounds < run.sounds_announced:
            text = (
                f"{chosen.evse_mac} heard {chosen.sounds} of {run.sounds_announced} sounds: the line is noisy or makes "
                "and breaks contact."
            )
            yield Fact(
                "suspect", text, run.start_s, chosen.time_s, f"{chosen.sounds} heard", f"{run.sounds_announced} sent"
            )


def _not_joined(record: ConversationRecord) -> Iterator[Fact]:
    for run in record.slac:
        if run.result == "not_joined" and run.match_answered_at_s is not None:
            text = (
                f"Matched at {run.match_answered_at_s:.2f} s, and nothing passed over the link in the "
                f"{seconds(JOIN_MAX_S)} after: the modems did not join, or the key was set on one side only."
            )
            until = run.match_answered_at_s + JOIN_MAX_S
            yield Fact("fault", text, run.match_answered_at_s, until, "no traffic", f"joined {JOIN_MAX_S.says}")


def _late(record: ConversationRecord) -> Iterator[Fact]:
    for run in record.slac:
        slow = [a for a in run.answers if a.wait_s > SEQUENCE_MAX_S]
        for a in slow[:1]:
            text = f"{a.evse_mac} answered the request for parameters after {seconds(a.wait_s)}."
            yield Fact("suspect", text, a.time_s - a.wait_s, a.time_s, seconds(a.wait_s), SEQUENCE_MAX_S.says)


def _late_match(record: ConversationRecord) -> Iterator[Fact]:
    for run in record.slac:
        wait, at = run.match_wait_s, run.match_answered_at_s
        if wait is not None and at is not None and wait > MATCH_RESPONSE_MAX_S:
            text = f"{run.matched_mac} confirmed the match after {seconds(wait)}."
            yield Fact("suspect", text, at - wait, at, seconds(wait), MATCH_RESPONSE_MAX_S.says)


def _again(record: ConversationRecord) -> Iterator[Fact]:
    by_vehicle: dict[str, list[SlacRun]] = {}
    for run in record.slac:
        by_vehicle.setdefault(run.ev_mac, []).append(run)
    for mac, runs in by_vehicle.items():
        asked = sum(r.requests for r in runs)
        if len(runs) > 1 or asked > RETRIES + 1:
            text = f"The vehicle {mac} began matching {max(len(runs), asked)} times, first at {runs[0].start_s:.2f} s."
            yield Fact(
                "note",
                text,
                runs[0].start_s,
                runs[-1].end_s,
                f"{max(len(runs), asked)} times",
                f"{1 + RETRIES} at most",
            )
    if len(by_vehicle) > 1:
        text = f"{len(by_vehicle)} vehicles match in this capture: {', '.join(by_vehicle)}. A neighbour is heard too."
        yield Fact("note", text, record.slac[0].start_s, record.slac[-1].end_s, f"{len(by_vehicle)} vehicles", "one")


def _odd(record: ConversationRecord) -> Iterator[Fact]:
    listed = dict.fromkeys((run.start_s, run.end_s, problem) for run in record.slac for problem in run.problems)
    for start, end, problem in list(listed)[:4]:
        yield Fact(
            "note", f"A matching frame is out of the ordinary. {problem}", start, end, "odd", "as the standard says"
        )


RULES: tuple[Rule[ConversationRecord], ...] = (
    Rule("slac_matched", "match", MATCHING_SOURCE, "vehicle and post matched", _matched, proves=("match",)),
    Rule(
        "slac_no_answer",
        "match",
        MATCHING_SOURCE,
        "no post answers the vehicle's request to match",
        _no_answer,
        breaks=("match",),
        needs=Needs(reached="", seconds=1.0),
    ),
    Rule(
        "slac_broke_off",
        "match",
        MATCHING_SOURCE,
        "a matching run the post leaves without a result",
        partial(_incomplete, by_vehicle=False),
        breaks=("match",),
    ),
    Rule(
        "slac_vehicle_stopped",
        "match",
        MATCHING_SOURCE,
        "a matching run the vehicle does not go on with",
        partial(_incomplete, by_vehicle=True),
        breaks=("match",),
    ),
    Rule(
        "slac_match_refused",
        "match",
        MATCHING_SOURCE,
        "a match asked for and never confirmed",
        _rejected,
        breaks=("match",),
    ),
    Rule("slac_weak", "match", MATCHING_SOURCE, "attenuation above the accept levels", _weak),
    Rule(
        "slac_wrong_post",
        "match",
        MATCHING_SOURCE,
        "a match with a post that is not the loudest",
        _wrong_post,
        breaks=("match",),
    ),
    Rule("slac_ambiguous", "match", MATCHING_SOURCE, "two posts that hear the vehicle alike", _ambiguous),
    Rule(
        "slac_several_posts", "match", MATCHING_SOURCE, "how many posts answer, and how loudly", _several, rank="quiet"
    ),
    Rule("slac_sounds_lost", "match", MATCHING_SOURCE, "sounds heard against sounds announced", _sounds),
    Rule("slac_not_joined", "match", MATCHING_SOURCE, "a match without a link", _not_joined, breaks=("match",)),
    Rule("slac_late", "match", MATCHING_SOURCE, "answers to matching later than allowed", _late),
    Rule("slac_late_match", "match", MATCHING_SOURCE, "a match confirmed later than allowed", _late_match),
    Rule("slac_again", "match", MATCHING_SOURCE, "matching begun more than once, by whom", _again),
    Rule("slac_odd", "match", MATCHING_SOURCE, "matching frames that are cut off or of another shape", _odd),
)
