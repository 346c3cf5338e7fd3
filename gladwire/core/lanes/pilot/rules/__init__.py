"""The rules of the pilot, one explicit tuple. To add one: copy a small one, give it a code, name it here."""

from __future__ import annotations

from gladwire.core.findings import Rule
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.pilot.rules import capture, contact, edges, levels, offer, requests, source

RULES: tuple[Rule[PilotRecord], ...] = (
    *levels.RULES,
    *source.RULES,
    *offer.RULES,
    *edges.RULES,
    *contact.RULES,
    *requests.RULES,
    *capture.RULES,
)
