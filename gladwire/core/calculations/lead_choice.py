"""Which lead to carry: what each lead brings at each post a vehicle meets, and the lightest that loses nothing.

What leads are sold as (16 and 32 A, one and three phases) is common practice; the power of each follows from the chain.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

from gladwire.core.calculations.ac_chain import power_kw

_POST = re.compile(r"^\s*(?:(\d)\s*[x×*]\s*)?(\d+(?:[.,]\d+)?)\s*A?\s*(t|tethered)?\s*$", re.IGNORECASE)
_HOUSEHOLD = re.compile(r"^\s*(household|home|domestic)\s*(\d+)?\s*A?\s*$", re.IGNORECASE)


class Post(NamedTuple):
    """What a post brings. tethered: its own lead hangs there; household: a socket without a pilot of its own."""

    words: str
    phases: int
    current_a: float
    tethered: bool = False
    household: bool = False


class LeadKind(NamedTuple):
    """A lead as sold. weight: 1 is the lightest; portable: carries its own control box, for household sockets."""

    title: str
    phases: int
    current_a: float
    weight: int
    portable: bool = False


LEADS: tuple[LeadKind, ...] = (
    LeadKind("Mode 3 lead, 16 A, one phase (3G2.5)", 1, 16.0, 1),
    LeadKind("Mode 3 lead, 32 A, one phase (3G6)", 1, 32.0, 2),
    LeadKind("Mode 3 lead, 16 A, three phases (5G2.5)", 3, 16.0, 3),
    LeadKind("Mode 3 lead, 32 A, three phases (5G6)", 3, 32.0, 4),
)
PORTABLE = LeadKind("Portable lead with its own control box (Mode 2)", 1, 10.0, 2, True)


class Row(NamedTuple):
    """A lead with what it brings at each post, kW; None where it does not fit. loses: any post below its best."""

    lead: LeadKind
    kw: tuple[float | None, ...]
    loses: bool


class Advice(NamedTuple):
    """The lightest lead that loses nothing at posts with sockets (None: none is needed), the portable one if asked for."""

    posts: tuple[Post, ...]
    rows: tuple[Row, ...]
    carry: tuple[LeadKind, ...]
    text: str


def read_posts(text: str) -> tuple[Post, ...]:
    """Posts as a person lists them: “3x32, 1x16, 3x32 tethered, household”. Raises ValueError naming what was not read."""
    found = []
    for word in filter(None, (w.strip() for w in re.split(r"[,;\n](?!\d)", text))):
        household, post = _HOUSEHOLD.match(word), _POST.match(word)
        if household:
            found.append(Post("household socket", 1, float(household[2] or 10), household=True))
        elif post:
            phases, amps = int(post[1] or 1), float(post[2].replace(",", "."))
            if phases not in (1, 3) or not 6 <= amps <= 80:
                raise ValueError(f"“{word}”: one or three phases and 6 to 80 A were expected")
            tethered = bool(post[3])
            words = f"{phases} × {amps:g} A{' tethered' if tethered else ''}"
            found.append(Post(words, phases, amps, tethered))
        else:
            raise ValueError(
                f"“{word}” was not understood; something like 3x32, 1x16, 3x32 tethered, household was expected"
            )
    if not found:
        raise ValueError("no post was named; something like 3x32, 1x16, household was expected")
    return tuple(found)


def advise(onboard_phases: int, onboard_a: float, posts: Sequence[Post]) -> Advice:
    """What to carry for a vehicle with this on-board charger. 230/400 V. Raises ValueError for a charger that cannot be."""
    if onboard_phases not in (1, 3) or not 6 <= onboard_a <= 80:
        raise ValueError("an on-board charger of one or three phases and 6 to 80 A was expected")

    def kw(lead: LeadKind, post: Post) -> float | None:
        if post.tethered or post.household != lead.portable:
            return None
        return power_kw(
            "230/400",
            min(lead.phases, post.phases, onboard_phases),
            min(lead.current_a, post.current_a, onboard_a),
        )

    kinds = (*LEADS, *((PORTABLE,) if any(p.household for p in posts) else ()))
    table = [(lead, tuple(kw(lead, post) for post in posts)) for lead in kinds]
    best = [max((v for _, row in table if (v := row[n]) is not None), default=None) for n in range(len(posts))]
    rows = tuple(
        Row(lead, row, any(v is not None and b is not None and v < b - 1e-9 for v, b in zip(row, best, strict=True)))
        for lead, row in table
    )
    sockets = any(not p.tethered and not p.household for p in posts)
    fit = [r.lead for r in rows if not r.lead.portable and not r.loses] if sockets else []
    carry = [min(fit, key=lambda lead: lead.weight)] if fit else []
    carry += [PORTABLE] if any(p.household for p in posts) else []
    return Advice(tuple(posts), rows, tuple(carry), _text(carry, sockets, posts))


def _text(carry: Sequence[LeadKind], sockets: bool, posts: Sequence[Post]) -> str:
    if not carry:
        return "Every post has its own lead: none needs to be carried."
    advice = f"Carry: {' and '.join(lead.title for lead in carry)}."
    if sockets and any(lead.current_a == 32 for lead in carry):
        advice += " A 32 A lead serves a 16 A vehicle and a 16 A post as well."
    if any(p.tethered for p in posts):
        advice += " Tethered posts need none."
    return advice
