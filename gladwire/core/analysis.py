"""One recording, analysed: the whole walk from channels to ranked causes. `docs/how-a-verdict-is-made.md` follows it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal, NamedTuple

from pydantic import BaseModel, ConfigDict

from gladwire.core.can.log import CanLog
from gladwire.core.can.names import Names, best_for, shipped
from gladwire.core.lanes.bus.record import CanRecord, measure_can
from gladwire.core.lanes.bus.series import lanes_of_can, power_of_can
from gladwire.core.lanes.contactor.measure import ContactorRecord, measure_contactor
from gladwire.core.lanes.frames.listen import listen
from gladwire.core.lanes.frames.message_store import KeptMessages, keep
from gladwire.core.lanes.frames.record import ConversationRecord
from gladwire.core.lanes.lock.measure import LockRecord, measure_lock
from gladwire.core.lanes.mains.measure import MainsRecord, measure_mains
from gladwire.core.lanes.pilot.amend import amend
from gladwire.core.lanes.pilot.channel import choose_pilot
from gladwire.core.lanes.pilot.measure import measure
from gladwire.core.lanes.pilot.power_noise import PowerNoise, find_power_noise
from gladwire.core.lanes.pilot.record import PilotRecord
from gladwire.core.lanes.power.record import PowerRecord
from gladwire.core.lanes.power.report import PowerReport, report_of
from gladwire.core.lanes.power.series import lanes_of, record_of
from gladwire.core.lanes.proximity.measure import ProximityRecord, measure_proximity
from gladwire.core.lanes.roles import Role, RoleOf, roles_of
from gladwire.core.plc.frames import FrameCapture
from gladwire.core.session.judgement import Judgement, judge
from gladwire.core.session.scene import Scene
from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.supplements import Aids, Described

_LEDGER_FROM_MIN = 2.0
# Raise when results would differ for the same capture; stored results of an older analyser are then rebuilt.
ANALYSER_VERSION = 6


class ChannelInfo(BaseModel):
    """A channel of the file, for the person who has to settle which is which.

    told_by: what its role was told from, "" where a person settled it.
    start_s, end_s: of the channel, in the file's own time base.
    """

    model_config = ConfigDict(frozen=True)

    name: str
    unit: str
    samples: int
    role: Role = "other"
    told_by: Literal["", "name", "looks"] = ""
    start_s: float = 0.0
    end_s: float = 0.0


class Analysis(Judgement):
    """Everything the screens, the command line and the store need to know about one capture.

    channel_index: of the pilot, None where no channel is one. roles_confirmed_by: who confirmed the channels' roles for
    this instrument. The records under it are those of `Scene`.
    """

    model_config = ConfigDict(frozen=True)

    analyser: int = ANALYSER_VERSION
    format: str
    recorded_at: str = ""
    remarks: tuple[str, ...]
    channels: tuple[ChannelInfo, ...]
    channel_index: int | None
    channel_why: str
    channel_guessed: bool = False
    roles_confirmed_by: str = ""
    pilot: PilotRecord | None = None
    proximity: ProximityRecord | None = None
    lock: LockRecord | None = None
    mains: MainsRecord | None = None
    contactors: tuple[ContactorRecord, ...] = ()
    power_noise: tuple[PowerNoise, ...] = ()
    conversation: ConversationRecord | None = None
    bus: CanRecord | None = None
    power: PowerReport | None = None

    @property
    def start_s(self) -> float:
        talked = [r.start_s for r in (self.conversation, self.bus) if r]
        return min([*(c.start_s for c in self.channels), *talked], default=0.0)

    @property
    def end_s(self) -> float:
        talked = [r.end_s for r in (self.conversation, self.bus) if r]
        return max([*(c.end_s for c in self.channels), *talked], default=0.0)

    @property
    def scene(self) -> Scene:
        return Scene(
            pilots=(self.pilot,) if self.pilot else (),
            proximities=(self.proximity,) if self.proximity else (),
            locks=(self.lock,) if self.lock else (),
            mains=self.mains,
            contactors=self.contactors,
            power_noise=self.power_noise,
            conversations=(self.conversation,) if self.conversation else (),
            buses=(self.bus,) if self.bus else (),
            powers=(self.power,) if self.power else (),
        )


def analyse(recording: Recording, settled: Settled | None = None) -> Analysis:
    """Analyse a recording. Raises ValueError when a settled channel does not exist or a channel is too short."""
    settled = settled or Settled()
    choice = choose_pilot(recording.channels, settled.pilot, settled.others)
    wave = recording.channels[choice.number] if choice.number is not None else None
    pilot = amend(measure(wave, settled), settled.amendments) if wave else None
    roles = roles_of(recording.channels, choice.number, settled.roles)
    measured = Analysis(
        format=recording.format,
        recorded_at=recording.recorded_at,
        remarks=recording.remarks,
        channels=tuple(_info(w, r) for w, r in zip(recording.channels, roles, strict=True)),
        channel_index=choice.number,
        channel_why=choice.why,
        channel_guessed=choice.guessed,
        pilot=pilot,
        proximity=_proximity(recording, roles),
        lock=_lock(recording, roles),
        mains=_mains(recording, roles),
        contactors=tuple(measure_contactor(w) for w in _of_role(recording, roles, "contactor")),
        power_noise=find_power_noise(wave, pilot) if wave and pilot else (),
        **_NOT_JUDGED.__dict__,
    )
    return measured.model_copy(update=judge(measured.scene).__dict__)


class Taken(NamedTuple):
    """A capture analysed, with what its lanes are drawn from and, of frames, every message."""

    analysis: Analysis
    recording: Recording
    messages: KeptMessages | None = None


def take(
    read: Recording | FrameCapture | PowerRecord | CanLog, settled: Settled | None = None, aids: Aids | None = None
) -> Taken:
    """Analyse what a reader returned: samples, frames, a power record or a log of a bus. aids: what opens and names them.

    Raises as `analyse` does.
    """
    if isinstance(read, Recording):
        return Taken(analyse(read, settled), read)
    if isinstance(read, PowerRecord):
        return _take_power(read, settled or Settled())
    if isinstance(read, CanLog):
        return _take_can(read, settled or Settled(), aids or Aids())
    heard = listen(read, aids.secrets if aids else None)
    lanes = Recording(heard.lanes, read.format, read.remarks, read.recorded_at)
    power = _said_power(heard.lanes, settled or Settled())
    judged = _without_samples(read, lanes, "said", conversation=heard.record, power=power)
    return Taken(judged, lanes, keep(heard.messages))


def _take_power(record: PowerRecord, settled: Settled) -> Taken:
    """Raises ValueError where nothing in the record tells power."""
    report = report_of(record, settled.context)
    lanes = Recording(lanes_of(record), record.format, record.remarks, record.recorded_at)
    return Taken(_without_samples(record, lanes, "power", record.derived, power=report), lanes)


def _take_can(log: CanLog, settled: Settled, aids: Aids) -> Taken:
    keys = [int(key) for key in set(log.ids.tolist())]
    described = [*aids.described, *(Described(names) for names in shipped())]
    names = best_for(keys, [d.names for d in described])
    known = next((d for d in described if d.names is names), Described(Names("", ())))
    measured = measure_can(log, names, known.roles, known.by_name, settled.signals)
    lanes = Recording(lanes_of_can(measured.record, measured.tracks), log.format, log.remarks, log.recorded_at)
    power = power_of_can(measured.record, measured.tracks)
    report = report_of(power, settled.context) if power else None
    report = report if report and report.flowing_minutes >= _LEDGER_FROM_MIN else None
    return Taken(_without_samples(log, lanes, "bus", bus=measured.record, power=report), lanes)


def _without_samples(
    read: FrameCapture | PowerRecord | CanLog,
    lanes: Recording,
    role: Role,
    remarks: tuple[str, ...] = (),
    **records: Any,
) -> Analysis:
    """The judged analysis of a capture whose lanes are made of what was said, sent or read. records: those of `Scene`."""
    measured = Analysis(
        format=read.format,
        recorded_at=read.recorded_at,
        remarks=(*read.remarks, *remarks),
        channels=tuple(_info(w, RoleOf(n, role, "name")) for n, w in enumerate(lanes.channels)),
        channel_index=None,
        channel_why="",
        **records,
        **_NOT_JUDGED.__dict__,
    )
    return measured.model_copy(update=judge(measured.scene).__dict__)


def _said_power(lanes: Sequence[Waveform], settled: Settled) -> PowerReport | None:
    """The power record of a conversation, where power flows long enough to be held against anything."""
    record = record_of(lanes)
    report = report_of(record, settled.context) if record else None
    return report if report and report.flowing_minutes >= _LEDGER_FROM_MIN else None


_NOT_JUDGED = Judgement(findings=(), stages=(), outcome="unknown", verdict="", causes=())


def _info(wave: Waveform, role: RoleOf) -> ChannelInfo:
    return ChannelInfo(
        name=wave.name,
        unit=wave.unit,
        samples=len(wave.samples),
        role=role.role,
        told_by=role.told_by,
        start_s=wave.start_s,
        end_s=wave.end_s,
    )


def _of_role(recording: Recording, roles: Sequence[RoleOf], role: Role) -> list[Waveform]:
    return [recording.channels[r.number] for r in roles if r.role == role]


def _proximity(recording: Recording, roles: Sequence[RoleOf]) -> ProximityRecord | None:
    waves = _of_role(recording, roles, "pp")
    return measure_proximity(waves[0]) if waves else None


def _lock(recording: Recording, roles: Sequence[RoleOf]) -> LockRecord | None:
    current, position = (next(iter(_of_role(recording, roles, role)), None) for role in _LOCK_ROLES)
    return measure_lock(current, position) if current or position else None


def _mains(recording: Recording, roles: Sequence[RoleOf]) -> MainsRecord | None:
    volts, amps = _of_role(recording, roles, "mains_v"), _of_role(recording, roles, "mains_a")
    return measure_mains(volts, amps) if volts or amps else None


_LOCK_ROLES: tuple[Role, Role] = ("lock_current", "lock_position")
