"""A stored session as one: its captures' results put on one clock and judged together, worked out once per state."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from gladwire.core.analysis import Analysis
from gladwire.core.session.alignment import Alignment, by_hand
from gladwire.core.session.inspection import Inspection
from gladwire.core.session.stamps import BY_KEY, Stamp
from gladwire.core.session.timeline import Part, Together, put_together
from gladwire.core.standards.connectors import BY_KEY as CONNECTORS
from gladwire.store.models import Capture, ChargingSession, Observation
from gladwire.web.services import newest_analysis, parsed


@dataclass(frozen=True)
class SessionView:
    """captures and analyses in step: those that could be read. together.alignments are in step with them."""

    captures: tuple[Capture, ...]
    analyses: tuple[Analysis, ...]
    together: Together

    def alignment_of(self, capture: Capture) -> Alignment | None:
        ids = [c.id for c in self.captures]
        return self.together.alignments[ids.index(capture.id)] if capture.id in ids else None


class _Asked:
    """Parts and stamps, told apart by what they were stored as."""

    def __init__(
        self,
        key: tuple[object, ...],
        parts: Sequence[Part],
        stamps: Sequence[Stamp],
        inspections: Sequence[Inspection],
    ) -> None:
        self.key, self.parts, self.stamps, self.inspections = key, parts, stamps, inspections

    def __hash__(self) -> int:
        return hash(self.key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Asked) and self.key == other.key


@lru_cache(maxsize=128)
def _together(asked: _Asked) -> Together:
    return put_together(asked.parts, asked.stamps, asked.inspections)


def session_view(session: ChargingSession) -> SessionView | None:
    """None while no capture of the session has a result."""
    found = [(c, stored) for c in session.captures if (stored := newest_analysis(c)) is not None]
    if not found:
        return None
    parts = [Part(c.name, parsed(stored), placed_by_hand(c)) for c, stored in found]
    looked = [o for o in session.observations if o.kind == "pin" and not o.struck_by]
    counted = [o for o in session.observations if o.at_s is not None and o.kind in BY_KEY and not o.struck_by]
    key = (
        tuple((stored.id, stored.made_at, c.placements[-1].id if c.placements else 0) for c, stored in found),
        tuple(o.id for o in (*counted, *looked)),
    )
    together = _together(_Asked(key, parts, [stamp_of(o) for o in counted], [inspection_of(o) for o in looked]))
    return SessionView(tuple(c for c, _ in found), tuple(p.analysis for p in parts), together)


def placed_by_hand(capture: Capture) -> Alignment | None:
    """Where a person last put a capture, unless they gave it back to the machine."""
    newest = capture.placements[-1] if capture.placements else None
    if newest is None or newest.offset_s is None:
        return None
    return by_hand(newest.offset_s, newest.by_name, newest.why)


def stamp_of(observation: Observation) -> Stamp:
    at_s = observation.at_s if observation.at_s is not None else 0.0
    return Stamp(kind=observation.kind, at_s=at_s, detail=observation.text, by_name=observation.by_name)


def place_words(place: str) -> tuple[str, str]:
    """(contact, connector and part in words) of a stored place such as “type2/inlet/CP”."""
    key, _, rest = place.partition("/")
    part, _, pin = rest.partition("/")
    if key not in CONNECTORS:
        return pin or place, "connector"
    return pin, f"{CONNECTORS[key].title} {CONNECTORS[key].inlet_name if part == 'inlet' else 'plug'}"


def inspection_of(observation: Observation) -> Inspection:
    """A stored look at a contact; unit holds its condition's key."""
    pin, where = place_words(observation.place)
    return Inspection(
        pin=pin, where=where, condition=observation.unit, detail=observation.text, by_name=observation.by_name
    )
