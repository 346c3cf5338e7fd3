"""Everything measured of one plug-in, on one clock: what the rules across lanes and the stage line look at."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict

from gladwire.core.lanes.bus.record import CanRecord
from gladwire.core.lanes.contactor.measure import ContactorRecord
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.lock.measure import LockRecord
from gladwire.core.lanes.mains.measure import MainsRecord
from gladwire.core.lanes.pilot.power_noise import PowerNoise
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.power.report import PowerReport
from gladwire.core.lanes.proximity.measure import ProximityRecord
from gladwire.core.session.inspection import Inspection
from gladwire.core.session.stamps import Stamp


class Scene(BaseModel):
    """Records in order of time; those of one kind do not overlap. Empty where nothing of a kind was captured.

    powers: one, parts spliced.
    """

    model_config = ConfigDict(frozen=True)

    pilots: tuple[PilotRecord, ...] = ()
    proximities: tuple[ProximityRecord, ...] = ()
    locks: tuple[LockRecord, ...] = ()
    mains: MainsRecord | None = None
    contactors: tuple[ContactorRecord, ...] = ()
    power_noise: tuple[PowerNoise, ...] = ()
    conversations: tuple[ConversationRecord, ...] = ()
    buses: tuple[CanRecord, ...] = ()
    powers: tuple[PowerReport, ...] = ()
    stamps: tuple[Stamp, ...] = ()
    inspections: tuple[Inspection, ...] = ()

    @property
    def pilot(self) -> PilotRecord | None:
        """All pilots as one record: the walk along the stages reads across gaps, the pilot's own rules do not."""
        return joined_pilots(self.pilots)

    @property
    def end_s(self) -> float:
        records = (
            *self.pilots,
            *self.proximities,
            *self.locks,
            *self.contactors,
            *self.conversations,
            *self.buses,
            *self.powers,
            *([self.mains] if self.mains else ()),
        )
        return max((r.end_s for r in records), default=0.0)


def joined_pilots(records: Sequence[PilotRecord]) -> PilotRecord | None:
    """One record of several that follow each other; None for none."""
    if len(records) < 2:
        return records[0] if records else None
    return records[0].model_copy(
        update={
            "end_s": records[-1].end_s,
            "segments": tuple(s for r in records for s in r.segments),
            "events": tuple(e for r in records for e in r.events),
        }
    )


def joined_mains(records: Sequence[MainsRecord]) -> MainsRecord | None:
    """Volts of one recording and amperes of another make one; None for none."""
    if len(records) < 2:
        return records[0] if records else None

    def together(name: str) -> tuple[object, ...]:
        return tuple(sorted((s for r in records for s in getattr(r, name)), key=lambda s: s.start_s))

    return MainsRecord(
        start_s=min(r.start_s for r in records),
        end_s=max(r.end_s for r in records),
        has_volts=any(r.has_volts for r in records),
        has_amps=any(r.has_amps for r in records),
        **{name: together(name) for name in ("volts", "amps", "levels", "dips")},  # type: ignore[arg-type]
    )
