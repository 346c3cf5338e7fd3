"""The dialogue and the attenuation profile as they are laid out: gaps to scale, the break, what comes after it."""

from __future__ import annotations

import re

import pytest

from gladwire.core.plc.frames import FrameCapture
from gladwire.core.simulate.plc.matching import Listener
from gladwire.core.simulate.plc.peers import Post
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.core.simulate.plc.wire import Station
from gladwire.core.standards.slac_limits import FOUND_DB
from gladwire.web.charts.attenuation import attenuation
from gladwire.web.charts.dialogue import Dialogue, breaking_point, dialogue
from tests.build import Analysis, take

MINE, OTHER = Station(bytes.fromhex("02d00d000042")), Station(bytes.fromhex("02d00d000043"))


def analysed(plan: Plan) -> Analysis:
    return take(FrameCapture(tuple(play(plan).frames), "sim")).analysis


def drawn(plan: Plan) -> Dialogue:
    analysis = analysed(plan)
    return dialogue(7, analysis.conversation, analysis.findings)


def test_gaps_are_drawn_to_scale_and_said_from_a_second_on() -> None:
    found = drawn(Plan(post=Post(silent_at="PowerDelivery")))
    gaps = {line.title: (line.gap_px, line.gap) for line in found.lines}
    assert gaps["Discovery"] == (pytest.approx(14 * 2.2, abs=2), "2.2 s")
    assert gaps["SessionSetup"][1] == ""
    silence = next(line for line in found.lines if line.kind == "close")
    assert silence.gap_px == pytest.approx(14 * 5.0, abs=2)
    longest = drawn(Plan(post=Post(), watch_s=1.0, joins=False))
    assert all(line.gap_px <= 150 for line in longest.lines)


def test_one_line_breaks_and_those_after_it_come_later() -> None:
    analysis = analysed(Plan(post=Post(insulation="Fault")))
    found = dialogue(7, analysis.conversation, analysis.findings)
    at = [i for i, line in enumerate(found.lines) if line.breaks]
    assert len(at) == 1
    assert found.lines[at[0]].title == "CableCheck"
    assert found.lines[at[0]].breaks == breaking_point(analysis.findings).text
    assert all(line.later for line in found.lines[at[0] + 1 :])
    assert not any(line.later for line in found.lines[: at[0]])
    assert not any(line.breaks for line in drawn(Plan()).lines)


def test_loops_are_one_line_with_count_rate_and_range_and_lead_to_first_and_last() -> None:
    found = drawn(Plan(loop_s=6.0))
    loop = next(line for line in found.lines if line.title == "CurrentDemand")
    assert re.fullmatch(r"×\d\d, every 240 ms", loop.times)
    assert len(loop.numbers) == 4
    assert "→" in loop.spoken.ev
    assert found.names == sorted(found.names)
    assert "CM_SLAC_PARM.REQ ×1" in found.others


def test_requests_of_discovery_without_an_answer_make_one_line() -> None:
    found = drawn(Plan(discovery=False))
    line = next(line for line in found.lines if line.kind == "find")
    assert (line.times, line.spoken.evse, line.spoken.remark) == ("×50", "", "no answer")


def test_a_profile_is_drawn_for_every_post_against_the_levels() -> None:
    plan = Plan(listeners=(Listener(MINE, 6.0), Listener(OTHER, 17.0, sounds_received=8)), loop_s=1.0)
    run = analysed(plan).conversation.slac[0]
    drawing = attenuation(run)
    assert [(p.mac, p.chosen, p.sounds) for p in drawing.posts] == [
        ("02:d0:0d:00:00:42", True, 10),
        ("02:d0:0d:00:00:43", False, 8),
    ]
    assert [len(re.findall(r"[ML]", p.path)) for p in drawing.posts] == [58, 58]
    assert drawing.posts[0].dash != drawing.posts[1].dash
    assert drawing.posts[0].end_y < drawing.posts[1].end_y
    assert drawing.levels[0][1] == f"{FOUND_DB:g}"
    silent = analysed(Plan(listeners=(Listener(MINE, gives_result=False),))).conversation.slac[0]
    assert attenuation(silent) is None
