"""Stamps of the pad that lie on no session's clock yet, and where they may belong."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from gladwire.core.scene.stamps import BY_KEY
from gladwire.store.models import Case, ChargingSession, Observation

# Stamps of one plug-in lie within this of each other.
_ONE_PLUG_IN = timedelta(hours=3)


def waiting_stamps(case: Case) -> list[Observation]:
    """Stamps of the pad that lie on no session's clock yet, in the order of their moments."""
    found = [
        o for o in case.observations if o.kind in BY_KEY and o.session_id is None and not o.struck_by and o.sent_key
    ]
    return sorted(found, key=lambda o: (o.made_at, o.id))


def around(waiting: Sequence[Observation], anchor: Observation) -> list[Observation]:
    """The stamps of one plug-in with this one."""
    return [o for o in waiting if abs(o.made_at - anchor.made_at) <= _ONE_PLUG_IN]


# So far the clocks of a device and of an instrument are let differ before a stamp is taken for another plug-in's.
_CLOCKS_DIFFER_S = 60.0


@dataclass(frozen=True)
class Laid:
    """What a session offers: stamps of one plug-in. guess_s: where the clocks of device and file put the first, where the
    file tells when it was recorded and the stamp lies within that."""

    stamps: list[Observation]
    guess_s: float | None


def laid_for(session: ChargingSession, recorded: datetime | None, lasts_s: float) -> Laid | None:
    """Stamps made while it was recorded, else those made last before it was dropped; None where none wait."""
    waiting = waiting_stamps(session.case) if session.case else []
    for o in waiting if recorded else ():
        guess_s = (o.made_at - recorded).total_seconds() if recorded else 0.0
        if -_CLOCKS_DIFFER_S <= guess_s <= lasts_s + _CLOCKS_DIFFER_S:
            own = around(waiting, o)
            return Laid(own, round(guess_s + (own[0].made_at - o.made_at).total_seconds(), 1))
    before = [o for o in waiting if o.made_at <= session.created_at] or waiting
    return Laid(around(waiting, before[-1]), None) if before else None
