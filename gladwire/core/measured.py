"""One capture, measured: from what a reader returned to records by lane. `docs/how-a-verdict-is-made.md` follows it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any, Literal, NamedTuple, TypeVar

from pydantic import BaseModel, ConfigDict, field_serializer, field_validator

from gladwire.core.can.log import CanLog
from gladwire.core.can.names import Names, best_for, shipped
from gladwire.core.channels import RoleOf, by_role, recognise, unit_of, with_known_unit
from gladwire.core.lanes.all import BY_KEY, LANES, SETTLED_ROLES
from gladwire.core.lanes.bus.record import measure_can
from gladwire.core.lanes.bus.series import lanes_of_can, power_of_can
from gladwire.core.lanes.frames.measure import measure_frames
from gladwire.core.lanes.frames.message_store import MessageStore, keep
from gladwire.core.lanes.frames.power import power_of_frames
from gladwire.core.lanes.power.record import ColumnSeen, PowerRecord
from gladwire.core.lanes.power.report import PowerReport, report_of
from gladwire.core.lanes.power.series import lanes_of
from gladwire.core.lanes.records import Record, Records
from gladwire.core.plc.frames import FrameCapture
from gladwire.core.settled import Settled
from gladwire.core.signal.waveform import Recording, Waveform
from gladwire.core.supplements import Described, Supplements

# Raise when a capture would be measured differently; stored measurements of an older version are then made anew.
MEASURES = 18
_LEDGER_FROM_MIN = 2.0
R = TypeVar("R", bound=Record)


class ChannelInfo(BaseModel):
    """A channel of the file, for the person who has to settle which is which.

    told_by: what its role was told from, "" where a person settled it, "nothing" where it is open: its capture's
    `UnnamedRecord` asks.
    unit_told: whether the file says the unit; else it is the role's. start_s, end_s: of the channel, in the file's own time
    base.
    """

    model_config = ConfigDict(frozen=True)

    name: str
    unit: str
    samples: int
    role: str = "other"
    told_by: Literal["", "name", "looks", "nothing"] = ""
    unit_told: bool = True
    start_s: float = 0.0
    end_s: float = 0.0


class Measured(BaseModel):
    """Everything one capture shows, in its own time base; nothing of it is judged.

    channel_index: of the pilot, None where no channel is one. roles_confirmed_by: who confirmed the channels' roles for
    this instrument. records: by lane.
    """

    model_config = ConfigDict(frozen=True, arbitrary_types_allowed=True)

    measures: int = MEASURES
    format: str
    recorded_at: str = ""
    remarks: tuple[str, ...] = ()
    channels: tuple[ChannelInfo, ...] = ()
    columns: tuple[ColumnSeen, ...] = ()
    channel_index: int | None = None
    channel_why: str = ""
    channel_guessed: bool = False
    roles_confirmed_by: str = ""
    records: Records = Records()

    @field_validator("records", mode="before")
    @classmethod
    def _read(cls, value: Any) -> Any:
        if not isinstance(value, dict):
            return value
        return Records({key: [BY_KEY[key].record.model_validate(r) for r in found] for key, found in value.items()})

    @field_serializer("records")
    def _written(self, records: Records) -> dict[str, list[dict[str, Any]]]:
        return records.dumped()

    def of(self, kind: type[R]) -> tuple[R, ...]:
        return self.records.of(kind)

    def first(self, kind: type[R]) -> R | None:
        return self.records.first(kind)

    @property
    def start_s(self) -> float:
        return min([*(c.start_s for c in self.channels), *(r.start_s for r in self._without_channels)], default=0.0)

    @property
    def end_s(self) -> float:
        return max([*(c.end_s for c in self.channels), *(r.end_s for r in self._without_channels)], default=0.0)

    @property
    def _without_channels(self) -> list[Record]:
        """Records of captures that have no channels of their own."""
        return [r for r in self.records if r.lane in ("frames", "bus")]


class CaptureResult(NamedTuple):
    """A capture measured, with what its lanes are drawn from and, of frames, every message."""

    measured: Measured
    recording: Recording
    messages: MessageStore | None = None


def measure_capture(
    read: Recording | FrameCapture | PowerRecord | CanLog,
    settled: Settled | None = None,
    supplements: Supplements | None = None,
) -> CaptureResult:
    """Measure what a reader returned: samples, frames, a power record or a log of a bus. supplements: what opens or names it.

    Raises ValueError when a settled channel or role does not exist, a channel is too short, or a record tells no power.
    """
    settled, supplements = settled or Settled(), supplements or Supplements()
    if isinstance(read, Recording):
        return CaptureResult(measure_recording(read, settled), read)
    if isinstance(read, PowerRecord):
        report = report_of(read, settled.context)
        return _made(read, lanes_of(read), "power", [report], read.derived)
    if isinstance(read, CanLog):
        return _of_bus(read, settled, supplements)
    from_frames = measure_frames(read, supplements.secrets)
    told = power_of_frames(from_frames.lanes)
    ledger = _worth_a_ledger(report_of(told, settled.context) if told else None)
    return _made(read, from_frames.lanes, "said", [from_frames.record, *ledger])._replace(
        messages=keep(from_frames.messages)
    )


def measure_recording(recording: Recording, settled: Settled | None = None) -> Measured:
    """Measure sampled channels. Raises as `measure_capture` does."""
    settled = settled or Settled()
    unknown = sorted(set(settled.roles.values()) - set(SETTLED_ROLES))
    if unknown:
        raise ValueError(f"there is no role “{unknown[0]}”; a channel can be {', '.join(SETTLED_ROLES)}")
    waves = tuple(map(with_known_unit, recording.channels))
    found = recognise(waves, settled)
    channels = by_role(waves, found.roles, settled)
    return Measured(
        format=recording.format,
        recorded_at=recording.recorded_at,
        remarks=recording.remarks,
        channels=tuple(_info(w, r) for w, r in zip(waves, found.roles, strict=True)),
        channel_index=found.pilot,
        channel_why=found.why,
        channel_guessed=found.guessed,
        records=Records({lane.key: lane.measure(channels, settled) for lane in LANES}),
    )


def _of_bus(log: CanLog, settled: Settled, supplements: Supplements) -> CaptureResult:
    keys = [int(key) for key in set(log.ids.tolist())]
    described = [*supplements.described, *(Described(names) for names in shipped())]
    names = best_for(keys, [d.names for d in described])
    known = next((d for d in described if d.names is names), Described(Names("", ())))
    bus = measure_can(log, names, known.roles, known.by_name, settled.signals)
    power = power_of_can(bus.record, bus.tracks)
    ledger = _worth_a_ledger(report_of(power, settled.context) if power else None)
    return _made(log, lanes_of_can(bus.record, bus.tracks), "bus", [bus.record, *ledger])


def _worth_a_ledger(report: PowerReport | None) -> Iterable[PowerReport]:
    """The power record of a conversation or bus, where power flows long enough to be held against anything."""
    return (report,) if report and report.flowing_minutes >= _LEDGER_FROM_MIN else ()


def _made(
    read: FrameCapture | PowerRecord | CanLog,
    lanes: Sequence[Waveform],
    role: str,
    records: Iterable[Record],
    remarks: tuple[str, ...] = (),
) -> CaptureResult:
    """The result of a capture whose lanes are made of what was said, sent or read."""
    measured = Measured(
        format=read.format,
        recorded_at=read.recorded_at,
        remarks=(*read.remarks, *remarks),
        channels=tuple(_info(w, RoleOf(n, role, "name")) for n, w in enumerate(lanes)),
        columns=read.columns if isinstance(read, PowerRecord) else (),
        records=Records.of_all(records),
    )
    return CaptureResult(measured, Recording(tuple(lanes), read.format, read.remarks, read.recorded_at))


def _info(wave: Waveform, role: RoleOf) -> ChannelInfo:
    return ChannelInfo(
        name=wave.name,
        unit=unit_of(wave, role.role),
        unit_told=bool(wave.unit),
        samples=len(wave.samples),
        role=role.role,
        told_by=role.told_by,
        start_s=wave.start_s,
        end_s=wave.end_s,
    )
