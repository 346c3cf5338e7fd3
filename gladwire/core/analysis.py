"""One recording, analysed: the whole walk from channels to ranked causes. `docs/how-a-verdict-is-made.md` follows it."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict

from gladwire.core import rules
from gladwire.core.diagnosis.cause import RankedCause
from gladwire.core.diagnosis.ranking import rank
from gladwire.core.findings import SEVERITIES, Finding, apply
from gladwire.core.lock import LockRecord, measure_lock
from gladwire.core.mains import MainsRecord, measure_mains
from gladwire.core.mains_rules import Ac
from gladwire.core.pilot.channel import choose_pilot
from gladwire.core.pilot.measure import measure
from gladwire.core.pilot.reading import Settled
from gladwire.core.pilot.record import PilotRecord
from gladwire.core.proximity_lane import ProximityRecord, measure_proximity
from gladwire.core.roles import Role, RoleOf, roles_of
from gladwire.core.session.outcome import Outcome, outcome_of, verdict_sentence
from gladwire.core.session.stages import StageResult, placed, spine_of, walk
from gladwire.core.waveform import Recording

# Raise when results would differ for the same capture; stored results of an older analyser are then rebuilt.
ANALYSER_VERSION = 2


class ChannelInfo(BaseModel):
    """A channel of the file, for the person who has to settle which is which. guessed: its role came from its name."""

    model_config = ConfigDict(frozen=True)

    name: str
    unit: str
    samples: int
    role: Role = "other"
    guessed: bool = False


class Analysis(BaseModel):
    """Everything the screens, the command line and the store need to know about one capture."""

    model_config = ConfigDict(frozen=True)

    analyser: int = ANALYSER_VERSION
    format: str
    remarks: tuple[str, ...]
    channels: tuple[ChannelInfo, ...]
    channel_index: int
    channel_why: str
    channel_guessed: bool = False
    pilot: PilotRecord
    proximity: ProximityRecord | None = None
    lock: LockRecord | None = None
    mains: MainsRecord | None = None
    findings: tuple[Finding, ...]
    stages: tuple[StageResult, ...]
    outcome: Outcome
    verdict: str
    causes: tuple[RankedCause, ...]


def analyse(recording: Recording, settled: Settled | None = None) -> Analysis:
    """Analyse a recording. Raises ValueError when a settled channel does not exist or a channel is too short."""
    settled = settled or Settled()
    choice = choose_pilot(recording.channels, settled.pilot, settled.others)
    record = measure(recording.channels[choice.number], settled)
    roles = roles_of(recording.channels, choice.number, settled.roles)
    proximity, lock, mains = _proximity(recording, roles), _lock(recording, roles), _mains(recording, roles)
    found = [
        *apply(rules.PILOT, record),
        *(apply(rules.PROXIMITY, proximity) if proximity else ()),
        *(apply(rules.LOCK, lock) if lock else ()),
        *(apply(rules.MAINS, Ac(record, mains)) if mains else ()),
    ]
    gravest = sorted(found, key=lambda f: (-SEVERITIES.index(f.severity), f.start_s))
    findings = placed(gravest, spine_of(record))
    stages = walk(record, findings, proximity, lock, mains)
    return Analysis(
        format=recording.format,
        remarks=recording.remarks,
        channels=tuple(
            ChannelInfo(name=w.name, unit=w.unit, samples=len(w.samples), role=r.role, guessed=r.guessed)
            for w, r in zip(recording.channels, roles, strict=True)
        ),
        channel_index=choice.number,
        channel_why=choice.why,
        channel_guessed=choice.guessed,
        pilot=record,
        proximity=proximity,
        lock=lock,
        mains=mains,
        findings=findings,
        stages=stages,
        outcome=outcome_of(record, stages, findings),
        verdict=verdict_sentence(record, findings),
        causes=rank(findings),
    )


def _proximity(recording: Recording, roles: Sequence[RoleOf]) -> ProximityRecord | None:
    wave = next((recording.channels[r.number] for r in roles if r.role == "pp"), None)
    return measure_proximity(wave) if wave is not None else None


def _lock(recording: Recording, roles: Sequence[RoleOf]) -> LockRecord | None:
    """A lock is measured from its actuator's current; its position alone moves without telling why."""
    current = next((recording.channels[r.number] for r in roles if r.role == "lock_current"), None)
    position = next((recording.channels[r.number] for r in roles if r.role == "lock_position"), None)
    return measure_lock(current, position) if current is not None else None


def _mains(recording: Recording, roles: Sequence[RoleOf]) -> MainsRecord | None:
    volts, amps = ([recording.channels[r.number] for r in roles if r.role == role] for role in ("mains_v", "mains_a"))
    return measure_mains(volts, amps) if volts or amps else None
