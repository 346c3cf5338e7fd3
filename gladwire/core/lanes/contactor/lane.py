"""A contactor line's declaration: how it is measured, aligned and told."""

from __future__ import annotations

from collections.abc import Iterator

from gladwire.core.lanes.contactor.measure import measure_contactor
from gladwire.core.lanes.contactor.record import ContactorRecord
from gladwire.core.lanes.contactor.rules import RULES, Switching, rested
from gladwire.core.lanes.detection import Look
from gladwire.core.lanes.lane import ChannelRole, Channels, Landmark, Lane, Mark
from gladwire.core.lanes.pilot.asking import commands
from gladwire.core.lanes.pilot.record import PilotRecord, as_one
from gladwire.core.lanes.records import Records
from gladwire.core.settled import Settled

# Logarithms of odds, by judgement.
_SAID, _HINT = 5.0, 0.7


def _named(kinds: frozenset[str], unit: str) -> float:
    return _SAID if "contactor" in kinds else 0.0


def _looks(look: Look) -> float:
    return _HINT if look.is_line else 0.0


def _measured(channels: Channels, settled: Settled) -> Iterator[ContactorRecord]:
    yield from (measure_contactor(wave) for wave in channels.of("contactor"))


def _subjects(records: Records) -> Iterator[Switching]:
    pilot = as_one(records.of(PilotRecord))
    for contactor in records.of(ContactorRecord) if pilot else ():
        if pilot and contactor.switched:
            yield Switching(pilot, rested(contactor, commands(pilot.segments)))


def _landmarks(record: ContactorRecord) -> Iterator[Landmark]:
    for c in record.closings:
        yield Landmark(c.start_s, "contactor closes")
        if not c.until_end:
            yield Landmark(c.end_s, "contactor opens")


def _marks(record: ContactorRecord, channel: str, role: str) -> Iterator[Mark]:
    if role == "contactor" and record.channel == channel:
        yield from (Mark(c.start_s, c.end_s, "closed") for c in record.closings)


LANE = Lane(
    key="contactor",
    title="Contactor",
    record=ContactorRecord,
    rules=RULES,
    subjects=_subjects,
    measure=_measured,
    roles=(
        ChannelRole("contactor", "contactor line", "plum", _named, _looks, units=("V", "A", "logic"), several=True),
    ),
    landmarks=_landmarks,
    marks=_marks,
)
