"""A visit to one place: its cases in order, one kit for all of them, which bay tells most beside the ones complained of, and
which is kept free meanwhile; and a day of several places, in the order of the shortest way. Common practice, no source."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from itertools import pairwise, permutations
from typing import NamedTuple

from gladwire.core.case.intake import Kit, Taken


class Bay(NamedTuple):
    """A stall of the place. tried, failed: decided plug-ins of the last half year; cabinets: names of what feeds it; proven:
    whether that was found by a test. complained: a case here is about it."""

    name: str
    tried: int
    failed: int
    cabinets: frozenset[str]
    proven: bool
    complained: bool


class Advice(NamedTuple):
    """What to use, or to keep free, with the figures it rests on."""

    bay: str
    says: str


def place_of(post: str) -> str:
    """The place in a post's name as people write it, “Hotel Seaview, post 2”; "" where it names none."""
    return post.split(",")[0].strip() if "," in post else ""


def merged(kits: Iterable[Kit]) -> Kit:
    """One kit for several cases; each thing once, with all it is for."""
    take: dict[tuple[str, str], dict[str, None]] = {}
    ask: dict[str, None] = {}
    for kit in kits:
        for one in kit.take:
            take.setdefault((one.words, one.tool), {}).update({one.why: None} if one.why else {})
        ask |= dict.fromkeys(kit.ask)
    return Kit(tuple(Taken(words, "; ".join(whys), tool) for (words, tool), whys in take.items()), tuple(ask))


def reference(bays: Sequence[Bay]) -> Advice | None:
    """The bay nobody complains of where most plug-ins charged and none failed; None where none is known to be well."""
    well = [bay for bay in bays if not bay.complained and bay.tried and not bay.failed]
    best = max(well, key=lambda bay: bay.tried, default=None)
    if best is None:
        return None
    return Advice(best.name, f"Compare with {best.name}: {best.tried} of {best.tried} plug-ins charged there.")


def kept_free(bays: Sequence[Bay]) -> tuple[Advice, ...]:
    """Bays that share a cabinet with one that is complained of: what is plugged in there takes from it."""
    found = []
    for bay in bays:
        others = [b for b in bays if b.complained and b.name != bay.name and b.cabinets & bay.cabinets]
        if not others:
            continue
        cabinets = sorted(frozenset().union(*(b.cabinets & bay.cabinets for b in others)))
        sure = bay.proven and all(b.proven for b in others)
        who = " and ".join(b.name for b in others)
        told = "" if sure else ", as far as is assumed"
        found.append(
            Advice(bay.name, f"Keep {bay.name} free while {who} is tried: {' and '.join(cabinets)} feeds both{told}.")
        )
    return tuple(found)


# Mean radius of the Earth, km (IUGG).
_EARTH_KM = 6371.0088
# Of so many places every order is tried.
MOST_STOPS = 8


class Stop(NamedTuple):
    """A place to go to. at: latitude and longitude in degrees, None where nobody noted them; unsafe: something there can hurt
    somebody."""

    name: str
    at: tuple[float, float] | None
    unsafe: bool


class Leg(NamedTuple):
    """A place in its turn. km: as the crow flies from the one before; None for the first, and where it is not known."""

    name: str
    km: float | None


def kilometres(a: tuple[float, float], b: tuple[float, float]) -> float:
    """Between two places on a sphere, along the great circle (haversine), in km."""
    (lat_a, lon_a), (lat_b, lon_b) = (tuple(map(math.radians, at)) for at in (a, b))
    half = math.sin((lat_b - lat_a) / 2) ** 2 + math.cos(lat_a) * math.cos(lat_b) * math.sin((lon_b - lon_a) / 2) ** 2
    return 2 * _EARTH_KM * math.asin(min(1.0, math.sqrt(half)))


def route(stops: Sequence[Stop]) -> tuple[Leg, ...]:
    """What can hurt first, then the rest, each by the shortest way; places of unknown position come last of theirs, as given.
    Raises ValueError for more than are tried out."""
    if len(stops) > MOST_STOPS:
        raise ValueError(f"more than {MOST_STOPS} places are no day's work")
    ordered: list[Stop] = []
    for unsafe in (True, False):
        of_these = [stop for stop in stops if stop.unsafe is unsafe]
        known, unknown = [s for s in of_these if s.at], [s for s in of_these if not s.at]
        begins = [stop for stop in ordered if stop.at][-1:]
        ordered += [*min(permutations(known), key=lambda way: _length((*begins, *way)), default=()), *unknown]
    legs = [Leg(stop.name, kilometres(a.at, stop.at) if a.at and stop.at else None) for a, stop in pairwise(ordered)]
    return (*(Leg(stop.name, None) for stop in ordered[:1]), *legs)


def _length(way: Sequence[Stop]) -> float:
    return sum(kilometres(a.at, b.at) for a, b in pairwise(way) if a.at and b.at)
