"""Other instruments' captures of the same sessions: VLAN tags, cooked and raw links, repeats, swaps, losses; one verdict."""

from __future__ import annotations

import random
from copy import deepcopy

import pytest

from gladwire.core.plc.frames import COOKED, COOKED_2, RAW_IPV6, Frame, FrameCapture
from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.session import Plan, play
from tests.core.plc.test_conversation import EARLIER, judged

LINKS = ("ethernet", "vlan", "cooked", "cooked 2", "raw")
HEALTHY = [
    Plan(loop_s=5.0),
    Plan(vehicle=Vehicle(("din",)), loop_s=3.0),
    Plan(pieces=3),
    Plan(post=Post(stops_after=10)),
]


def relinked(frame: Frame, link: str) -> Frame | None:
    """The frame as an instrument on this kind of link records it; None where it cannot."""
    data = frame.data
    match link:
        case "vlan":
            return frame._replace(data=data[:12] + b"\x81\x00\x00\x05" + data[12:])
        case "cooked":
            return frame._replace(data=b"\0\0\0\1\0\6" + data[6:12] + b"\0\0" + data[12:], link=COOKED)
        case "cooked 2":
            return frame._replace(data=data[12:14] + bytes(10) + data[6:12] + b"\0\0" + data[14:], link=COOKED_2)
        case "raw":
            return frame._replace(data=data[14:], link=RAW_IPV6) if data[12:14] == b"\x86\xdd" else None
    return frame


def harsh(frames: list[Frame], link: str, seed: int, loss: float = 0.0) -> list[Frame]:
    dice = random.Random(seed)
    seen: list[Frame] = []
    for frame in frames:
        taken = relinked(frame, link)
        if taken is not None and dice.random() >= loss:
            seen += [taken] * (1 + (dice.random() < 0.03))
    for i in range(len(seen) - 1):
        a, b = seen[i], seen[i + 1]
        if dice.random() < 0.03 and b.time_s - a.time_s < 0.05:
            seen[i], seen[i + 1] = b._replace(time_s=a.time_s), a._replace(time_s=b.time_s)
    return seen


@pytest.mark.parametrize("link", LINKS)
@pytest.mark.parametrize("loss", [0.0, 0.002, 0.01, 0.03])
def test_no_instrument_makes_a_fault_of_a_healthy_session(link: str, loss: float) -> None:
    for number, plan in enumerate(HEALTHY):
        analysis = judged(harsh(play(deepcopy(plan)).frames, link, 17 * number + int(1000 * loss), loss))
        assert not [f for f in analysis.findings if f.severity == "fault"], plan
        assert analysis.outcome == "charged" or loss > 0.005


@pytest.mark.parametrize("link", LINKS[:4])
def test_the_cause_is_the_same_through_every_instrument(link: str) -> None:
    for number, fault in enumerate(EARLIER):
        made = fault.makes()
        assert isinstance(made, FrameCapture)
        analysis = judged(harsh(list(made.frames), link, number))
        assert [f.code for f in analysis.findings if f.severity == "fault"] == [fault.truth.finding], fault.key
