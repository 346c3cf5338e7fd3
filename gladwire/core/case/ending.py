"""Whom a case waits for, and how it may end. Common practice, no source."""

from __future__ import annotations

from typing import NamedTuple


class Waits(NamedTuple):
    """Whom or what an open case waits for. means: as a list says it. day: whether it comes back by itself on one."""

    key: str
    title: str
    means: str
    day: bool = False


WAITS: tuple[Waits, ...] = (
    Waits("me", "you", "Waits for you"),
    Waits("part", "a part", "Waits for a part"),
    Waits("owner", "somebody else", "Waits for somebody else"),
    Waits("day", "a day", "Waits for a day", day=True),
)
WAITS_BY_KEY = {one.key: one for one in WAITS}


class Ending(NamedTuple):
    """How a case closes. proven: every reported mode must be; safe: nothing that can hurt may stand; why: needs words.

    day: it comes back by itself on one.
    """

    key: str
    title: str
    means: str
    proven: bool = False
    safe: bool = False
    why: bool = False
    day: bool = False


ENDINGS: tuple[Ending, ...] = (
    Ending("mended", "Mended", "Every reported mode is proven by a capture, after any repair.", proven=True, safe=True),
    Ending("nothing_wrong", "Nothing wrong", "Nothing is to be mended: say what it was.", safe=True, why=True),
    Ending("handed_over", "Handed over", "Its owner goes on with it: say who, and what they were given.", why=True),
    Ending("watched", "Watched", "It comes back by itself on the day you choose.", safe=True, why=True, day=True),
)
ENDING_BY_KEY = {one.key: one for one in ENDINGS}


def refusal(ending: Ending, unproven: tuple[str, ...], unsafe: str, why: str, has_day: bool) -> str:
    """Why a case may not end so, in one sentence; "" where it may. unproven: reported modes that are not proven, or one word
    for a case without any."""
    if ending.safe and unsafe:
        return f"Not proven safe: {unsafe} A case with it is handed over, or proven safe first"
    if ending.proven and unproven:
        return f"Not proven yet: {'; '.join(unproven)}"
    if ending.why and not why:
        return f"“{ending.title}” needs a reason in words"
    if ending.day and not has_day:
        return "The day on which it comes back is missing"
    return ""
