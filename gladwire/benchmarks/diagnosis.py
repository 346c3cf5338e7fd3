"""`./glad bench diagnosis`: causes played with held-out seeds, and how well the judge tells them. Kept in docs/accuracy.md.

A play is told right where its cause comes first; what a cut capture no longer shows is rightly told as nothing.
"""

from __future__ import annotations

import argparse
import math
import os
import random
from collections.abc import Iterable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from pathlib import Path
from typing import NamedTuple

from gladwire.benchmarks.blind import outside, outside_ac
from gladwire.benchmarks.blind.plays import WELL, plays
from gladwire.core.answers import Answer
from gladwire.core.diagnosis import likelihood
from gladwire.core.diagnosis.answers import chances, outcomes
from gladwire.core.diagnosis.causes import BY_CODE
from gladwire.core.diagnosis.evidence import Observed, observed
from gladwire.core.diagnosis.next_test import proposals
from gladwire.core.diagnosis.ranking import Weighed, weighed
from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.core.diagnosis.tests import Test
from gladwire.core.findings import Finding
from gladwire.core.measured import measure_capture, measure_recording
from gladwire.core.session.session import judge_session
from gladwire.core.session.sight import blind_spots
from gladwire.core.session.timeline import Part
from gladwire.formats.opening import Source
from gladwire.formats.registry import read_capture

PAGE = Path("docs/accuracy.md")
_BEGINS, _ENDS = "<!-- diagnosis -->", "<!-- end diagnosis -->"
HELD_OUT = (101, 102)
_SURE = 0.7
_SHARPEST = 1.6
_BINS = (0.0, 0.1, 0.3, 0.5, 0.7, 0.9, 1.01)
# Told alike by what can be captured, and as well: a charger of one phase, or smaller than the offer, is no fault.
ALIKE: tuple[frozenset[str], ...] = (
    frozenset({WELL, "charger_phase_lost", "charger_size"}),
    frozenset({"loose_contact", "pilot_open", "pilot_contact_in_session", "plug_drawn_while_charging"}),
    frozenset({"post_stopped_with_error", "post_dead_or_unavailable", "earth_fault_trip", "pilot_shorted_to_pe"}),
    frozenset({"contactor_not_closing", "supply_missing"}),
    frozenset({"vehicle_not_asking", "request_branch_open"}),
    frozenset({"not_authorised", "post_has_nothing_to_offer"}),
    frozenset({"offer_lowered_by_site", "site_withdraws_offer", "cabinet_shared"}),
    frozenset({"insulation_low_in_vehicle_or_cable", "insulation_self_test"}),
    frozenset({"precharge_output_low", "precharge_not_reached_inside"}),
    frozenset({"stop_not_followed", "station_stop"}),
    frozenset({"lock_blocked", "lock_feedback_dead"}),
)


@dataclass(frozen=True)
class Seen:
    """One play judged. cut: begun late or ended early. outcome: what was told of it."""

    cause: str
    name: str
    cut: bool
    outcome: str
    findings: tuple[Finding, ...]
    blind: dict[str, str]
    ac: bool

    @cached_property
    def observed(self) -> Observed:
        return observed(self.findings, self.blind, (), self.ac)

    @cached_property
    def ranked(self) -> tuple[Weighed, ...]:
        """As the judge ranks; empty for a cut capture that is told as well, which may be so."""
        found = weighed(self.observed)
        return () if self.cut and found and found[0].cause.code == WELL else found

    @property
    def first(self) -> str:
        return self.ranked[0].cause.code if self.ranked else ""

    @property
    def blames(self) -> bool:
        """Whether somebody is blamed, by the outcome or by a cause that leads."""
        failed = self.outcome in ("failed_to_start", "dropped_out", "derated")
        return failed or (bool(self.ranked) and self.ranked[0].cause.owner != "none" and self.ranked[0].share > 0.5)

    @property
    def is_wrong_and_sure(self) -> bool:
        return bool(self.ranked) and self.ranked[0].share >= _SURE and not is_right(self.cause, self.first)


def seen(each: int, seed: int) -> list[Seen]:
    """Every play of a seed, judged."""
    found = []
    for play in plays(each, seed):
        result = judge_session([Part("", play.measured)])
        told = result.judgement
        blind = blind_spots(result.scene, told.findings, told.stages)
        cut = play.name.endswith((" late", " early"))
        ac = all(stage.stage != "precharge" for stage in told.stages)
        found.append(Seen(play.cause, play.name, cut, told.outcome, told.findings, blind, ac))
    return found


def all_seen(each: int, seeds: Sequence[int]) -> list[Seen]:
    """The same of several seeds, on all cores."""
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        return [s for found in pool.map(seen, [each] * len(seeds), seeds) for s in found]


def is_right(cause: str, told: str) -> bool:
    return told == cause or any(cause in group and told in group for group in ALIKE)


def _led(ranked: Sequence[Weighed]) -> float:
    """Share of the leading cause and of those that a capture cannot tell from it."""
    return min(1.0, sum(w.share for w in ranked if is_right(ranked[0].cause.code, w.cause.code)))


class Calibration(NamedTuple):
    """error: mean distance of shares from how often they were right, weighted. bins: (mean share, share right, count)."""

    error: float
    bins: tuple[tuple[float, float, int], ...]


def calibration(plays: Iterable[Seen], sharpness: float) -> Calibration:
    """Of the leading cause of every play in which one is told; cut captures that are told as well say nothing."""
    pairs = []
    for s in plays:
        ranked = weighed(s.observed, sharpness)
        if ranked and not (s.cut and ranked[0].cause.code == WELL):
            pairs.append((_led(ranked), is_right(s.cause, ranked[0].cause.code)))
    return _binned(pairs)


def _binned(pairs: Sequence[tuple[float, bool]]) -> Calibration:
    bins = []
    for low, high in pairwise(_BINS):
        inside = [(share, right) for share, right in pairs if low <= share < high]
        if inside:
            n = len(inside)
            bins.append((sum(share for share, _ in inside) / n, sum(right for _, right in inside) / n, n))
    total = sum(n for _, _, n in bins)
    return Calibration(sum(abs(share - right) * n for share, right, n in bins) / max(total, 1), tuple(bins))


class Outside(NamedTuple):
    """A capture no tool of ours made. may: causes that may lead."""

    may: tuple[str, ...]
    ranked: tuple[Weighed, ...]

    @property
    def right(self) -> bool:
        return bool(self.ranked) and self.ranked[0].cause.code in self.may


def outside_seen(each: int, seed: int) -> list[Outside]:
    """Captures no tool of ours made, of which it is known what may lead."""
    views = (*outside.pilots(each, seed), *outside_ac.ac_sessions(each, seed))
    measured = [(case.truth, measure_recording(case.recording)) for case in views]
    measured += [(c.truth, measure_capture(read_capture(Source(c.path))).measured) for c in outside.conversations()]
    found = []
    for truth, capture in measured:
        result = judge_session([Part("", capture)])
        told = result.judgement
        blind = blind_spots(result.scene, told.findings, told.stages)
        ranked = weighed(observed(told.findings, blind, (), all(s.stage != "precharge" for s in told.stages)))
        if may := truth.causes or ((WELL,) if truth.healthy else ()):
            found.append(Outside(may, ranked))
    return found


def outside_calibration(found: Iterable[Outside]) -> Calibration:
    """Whether the causes that may lead do, and what share they have together."""
    pairs = []
    for s in found:
        if s.ranked:
            lead = sum(w.share for w in s.ranked if w.cause.code in s.may) if s.right else s.ranked[0].share
            pairs.append((lead, s.right))
    return _binned(pairs)


def proven(found: Iterable[Outside]) -> list[str]:
    """Causes that rightly lead on a capture no tool of ours made, as the only one that may."""
    return sorted({s.ranked[0].cause.code for s in found if s.right and len(s.may) == 1})


def sharpest(plays: Sequence[Seen]) -> float:
    """The sharpness by which what was told is least surprised by what was so, of held-out plays; the simulator is tidier than
    the world, so it goes no further than _SHARPEST."""

    def surprise(sharpness: float) -> float:
        lost = 0.0
        for s in plays:
            ranked = weighed(s.observed, sharpness)
            if ranked and not (s.cut and ranked[0].cause.code == WELL):
                lead = min(max(_led(ranked), 1e-3), 1 - 1e-3)
                lost -= math.log(lead if is_right(s.cause, ranked[0].cause.code) else 1 - lead)
        return lost

    return min((n / 20 for n in range(8, round(20 * _SHARPEST) + 1)), key=surprise)


def main(arguments: Sequence[str]) -> None:
    parser = argparse.ArgumentParser(prog="glad bench diagnosis")
    parser.add_argument("--each", type=int, default=2, help="plays of every class and seed")
    parser.add_argument("--seeds", type=int, nargs="+", default=list(HELD_OUT))
    given = parser.parse_args(arguments)
    beside = outside_calibration(outside_seen(given.each, given.seeds[0]))
    told = f"Of captures no tool of ours made: {_told(beside)}."
    text = f"{told_of(all_seen(given.each, given.seeds)).rstrip()}\n\n{told}"
    print(text)
    page = PAGE.read_text()
    before, _, rest = page.partition(_BEGINS)
    PAGE.write_text(f"{before}{_BEGINS}\n{text.rstrip()}\n{_ENDS}{rest.partition(_ENDS)[2]}")


def told_of(found: Sequence[Seen]) -> str:
    """The tables of the page."""
    rows = [
        "| played | plays | cause first | among three | owner first | healthy blamed | wrong and sure |",
        f"|---{'|---' * 6}|",
    ]
    rows += [
        _row("whole", [s for s in found if not s.cut]),
        _row("begun late or ended early", [s for s in found if s.cut]),
    ]
    held = calibration(found, likelihood.sharpness())
    missed = [f"- {s.name}: {s.first} at {100 * s.ranked[0].share:.0f} %" for s in found if s.is_wrong_and_sure]
    return "\n".join([
        *rows, "", _walks(found), "", f"Calibration: {_told(held)}.", "",
        "Wrong and sure:" if missed else "Nothing wrong and sure.", "", *missed[:12],
    ])  # fmt: skip


def _told(held: Calibration) -> str:
    bins = " · ".join(f"{100 * share:.0f} % told, {100 * right:.0f} % right ({n})" for share, right, n in held.bins)
    return f"{bins}; mean error {100 * held.error:.1f} points"


# The order of practice: ask, look, dead tests, the post alone, swaps; then what each cause asks for, the likeliest first.
_PRACTICE = (
    "elsewhere",
    "others_here",
    "look",
    "cp_core",
    "pe_core",
    "post_alone",
    "swap_vehicle",
    "swap_post",
    "swap_lead",
)
_OF_A_LEAD = ("cp_core", "pe_core", "swap_lead")
_DECIDED, _MOST_TESTS = 0.9, 14


class Walk(NamedTuple):
    """Tests done until one owner and one cause led by far. decided, right: whether it came to that, and rightly."""

    tests: int
    minutes: float
    decided: bool
    right: bool


def walked(s: Seen, by_engine: bool, rng: random.Random) -> Walk:
    """Tests in the engine's order or in that of practice, each with a result drawn by the cause that was played."""
    answers: list[Answer] = []
    minutes = 0
    while True:
        now = observed(s.findings, s.blind, answers, s.ac)
        ranked = weighed(now)
        sure = bool(ranked) and _led(ranked) >= _DECIDED
        test = _next(s, now, by_engine)
        if sure or test is None or len(answers) >= _MOST_TESTS:
            return Walk(len(answers), minutes, sure, sure and is_right(s.cause, ranked[0].cause.code))
        minutes += test.minutes
        if test.by_stage:  # what was captured does not tell; what a better capture would, is not played here
            return Walk(len(answers) + 1, minutes, False, False)
        drawn = rng.choices(outcomes(test), chances(test, BY_CODE[s.cause], s.ac))[0]
        answers.append(Answer(test=test.key, result=drawn))


def _next(s: Seen, now: Observed, by_engine: bool) -> Test | None:
    if by_engine:
        found = proposals(now, s.findings, most=1)
        return TESTS[found[0].key] if found else None
    done = {a.test for a in now.answers}
    order = [*(k for k in _PRACTICE if s.ac or k not in _OF_A_LEAD), *(w.cause.test for w in weighed(now))]
    return next((TESTS[key] for key in order if key not in done), None)


def _walks(found: Sequence[Seen]) -> str:
    """Of plays not decided by their captures: what it takes by either order."""
    rng = random.Random(5)
    open_ = [s for s in found if s.ranked and s.cause != WELL and _led(s.ranked) < _DECIDED]
    rows = [
        "| order of tests | plays not decided by captures | tests | minutes | decided | rightly |",
        f"|---{'|---' * 5}|",
    ]
    for title, by_engine in (("this engine's", True), ("of practice", False)):
        walks = [walked(s, by_engine, rng) for s in open_]
        n = max(len(walks), 1)
        tests, minutes = sum(w.tests for w in walks) / n, sum(w.minutes for w in walks) / n
        decided, right = sum(w.decided for w in walks), sum(w.right for w in walks)
        rows.append(f"| {title} | {len(walks)} | {tests:.1f} | {minutes:.0f} | {decided} | {right} |")
    return "\n".join(rows)


def _row(title: str, found: Sequence[Seen]) -> str:
    asked = [s for s in found if s.cause != WELL and (not s.cut or s.ranked)]
    well = [s for s in found if s.cause == WELL]
    first = sum(is_right(s.cause, s.first) for s in asked)
    three = sum(any(is_right(s.cause, w.cause.code) for w in s.ranked[:3]) for s in asked)
    owner = sum(
        bool(s.first) and (BY_CODE[s.first].owner == BY_CODE[s.cause].owner or is_right(s.cause, s.first))
        for s in asked
    )
    blamed, sure = sum(s.blames for s in well), sum(s.is_wrong_and_sure for s in found)
    n = len(asked)
    return f"| {title} | {len(found)} | {first} of {n} | {three} of {n} | {owner} of {n} | {blamed} of {len(well)} | {sure} |"
