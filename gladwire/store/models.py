"""Tables. Times are UTC without zone; originals are kept byte for byte in compressed chunks."""

from __future__ import annotations

from datetime import UTC, datetime

from sqlalchemy import BigInteger, Boolean, Double, ForeignKey, Integer, String, Text
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB, MEDIUMBLOB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from gladwire.store.shapes import DETAILS_FORMAT, SETTLED_FORMAT

_Moment = DATETIME(fsp=6)


def utc_now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)


class Base(DeclarativeBase):
    pass


class Case(Base):
    """A complaint about a vehicle and/or a post, until proven mended. state: open | closed.

    modes: keys of the modes that were reported, by comma; each needs its own proof.
    """

    __tablename__ = "cases"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    title: Mapped[str] = mapped_column(String(200))
    complaint: Mapped[str] = mapped_column(Text, default="")
    vehicle: Mapped[str] = mapped_column(String(120), default="")
    post: Mapped[str] = mapped_column(String(120), default="")
    waits_for: Mapped[str] = mapped_column(String(300), default="")
    modes: Mapped[str] = mapped_column(String(120), default="")
    state: Mapped[str] = mapped_column(String(10), default="open", index=True)
    created_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)
    closed_at: Mapped[datetime | None] = mapped_column(_Moment)

    sessions: Mapped[list[ChargingSession]] = relationship(back_populates="case", order_by="ChargingSession.id")
    observations: Mapped[list[Observation]] = relationship(order_by="Observation.id", back_populates="case")


class ChargingSession(Base):
    """One plug-in. It may belong to no case yet. mode: key of the mode it was tried in, or empty.

    vehicle, stall: equipment it was, where known. asked, judged: how often a judgement was asked for, and up to which of
    these it was made; it waits while they differ. judge, judging_since: the worker that makes it.
    """

    __tablename__ = "charging_sessions"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    case_id: Mapped[int | None] = mapped_column(ForeignKey("cases.id"), index=True)
    title: Mapped[str] = mapped_column(String(200))
    mode: Mapped[str] = mapped_column(String(20), default="")
    vehicle_id: Mapped[int | None] = mapped_column(ForeignKey("equipment.id"), index=True)
    stall_id: Mapped[int | None] = mapped_column(ForeignKey("equipment.id"), index=True)
    created_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now, index=True)
    asked: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    judged: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    judge: Mapped[str] = mapped_column(String(64), default="", server_default="")
    judging_since: Mapped[datetime | None] = mapped_column(_Moment)

    case: Mapped[Case | None] = relationship(back_populates="sessions")
    judgement: Mapped[StoredJudgement | None] = relationship(back_populates="session", uselist=False)
    vehicle: Mapped[Equipment | None] = relationship(foreign_keys=[vehicle_id])
    stall: Mapped[Equipment | None] = relationship(foreign_keys=[stall_id])
    captures: Mapped[list[Capture]] = relationship(back_populates="session", order_by="Capture.id")
    observations: Mapped[list[Observation]] = relationship(order_by="Observation.id", back_populates="session")


class Equipment(Base):
    """A vehicle, stall, cabinet, site or adapter. details: JSON of its kind's spec (`core/power/equipment.py`), in a format
    (`shapes.py`)."""

    __tablename__ = "equipment"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    kind: Mapped[str] = mapped_column(String(10), index=True)
    name: Mapped[str] = mapped_column(String(120))
    site: Mapped[str] = mapped_column(String(120), default="", index=True)
    details: Mapped[str] = mapped_column(Text, default="{}")
    format: Mapped[int] = mapped_column(Integer, default=DETAILS_FORMAT, server_default="1")
    by_name: Mapped[str] = mapped_column(String(80), default="")
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)


class ReadingPicture(Base):
    """A frame or photograph readings were typed from. at_s: on the record; film_s: in the film, None of a photograph."""

    __tablename__ = "reading_pictures"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    capture_id: Mapped[int] = mapped_column(ForeignKey("captures.id"), index=True)
    at_s: Mapped[float] = mapped_column(Double)
    film_s: Mapped[float | None] = mapped_column(Double)
    name: Mapped[str] = mapped_column(String(200), default="")
    data: Mapped[bytes] = mapped_column(MEDIUMBLOB)


class Capture(Base):
    """One recording. state: received | analysing | analysed | unreadable.

    recorded_at: the file's own word for its moment, verbatim. kind: what its reader found, can for a log of a bus, else
    empty. refusal: why it is unreadable, and reads: the version of the readers that found so.
    claimed_by, claimed_at: which worker analyses it, and since when; progress: what that tells of it meanwhile, and
    stop_asked_by: who wished it stopped.
    """

    __tablename__ = "captures"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("charging_sessions.id"), index=True)
    name: Mapped[str] = mapped_column(String(255))
    size: Mapped[int] = mapped_column(BigInteger)
    sha256: Mapped[str] = mapped_column(String(64), index=True)
    received_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)
    recorded_at: Mapped[str] = mapped_column(String(80), default="")
    kind: Mapped[str] = mapped_column(String(10), default="", server_default="")
    state: Mapped[str] = mapped_column(String(12), default="received", index=True)
    refusal: Mapped[str] = mapped_column(Text, default="")
    reads: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    claimed_by: Mapped[str] = mapped_column(String(64), default="")
    claimed_at: Mapped[datetime | None] = mapped_column(_Moment)
    progress: Mapped[str] = mapped_column(String(120), default="", server_default="")
    stop_asked_by: Mapped[str] = mapped_column(String(80), default="", server_default="")

    session: Mapped[ChargingSession] = relationship(back_populates="captures")
    settlements: Mapped[list[Settlement]] = relationship(order_by="Settlement.id")
    placements: Mapped[list[Placement]] = relationship(order_by="Placement.id")
    measurements: Mapped[list[StoredMeasurement]] = relationship(
        order_by="StoredMeasurement.id", back_populates="capture"
    )


class CaptureChunk(Base):
    """A piece of an original, zlib compressed; pieces in order give the file."""

    __tablename__ = "capture_chunks"

    capture_id: Mapped[int] = mapped_column(ForeignKey("captures.id"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    data: Mapped[bytes] = mapped_column(MEDIUMBLOB)


class Settlement(Base):
    """What a person settled about a capture, by whom and why. The latest holds; earlier ones stay.

    settled: JSON of the core's `Settled`, in a format (`shapes.py`). reader: key of a reader a person chose, empty for the
    machine's choice.
    """

    __tablename__ = "settlements"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    capture_id: Mapped[int] = mapped_column(ForeignKey("captures.id"), index=True)
    settled: Mapped[str] = mapped_column(Text)
    format: Mapped[int] = mapped_column(Integer, default=SETTLED_FORMAT, server_default="1")
    reader: Mapped[str] = mapped_column(String(24), default="", server_default="")
    interval_s: Mapped[float | None] = mapped_column(Double)
    by_name: Mapped[str] = mapped_column(String(80))
    why: Mapped[str] = mapped_column(String(300))
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)


class StoredMeasurement(Base):
    """What a capture shows, rebuilt from the original at will. settlement_id: None for the machine's own reading.

    reads, measures: versions of readers and measuring that made it. result: JSON of the core's `Measured`, compressed, in a
    format (`shapes.py`).
    """

    __tablename__ = "measurements"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    capture_id: Mapped[int] = mapped_column(ForeignKey("captures.id"), index=True)
    settlement_id: Mapped[int | None] = mapped_column(ForeignKey("settlements.id"))
    reads: Mapped[int] = mapped_column(Integer)
    measures: Mapped[int] = mapped_column(Integer)
    format: Mapped[int] = mapped_column(Integer)
    result: Mapped[bytes] = mapped_column(LONGBLOB, deferred=True)
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)

    capture: Mapped[Capture] = relationship(back_populates="measurements")
    settlement: Mapped[Settlement | None] = relationship()


class StoredJudgement(Base):
    """What is said of a session: the verdict people read, sign and take out. One a session, made anew when anything it was
    made of changes.

    judges: the version that judged. made_of: JSON naming every measurement, placement and observation it rests on.
    outcome, danger, verdict, next_test, leads (the leading cause's code), stages (JSON): the line a list shows. result:
    JSON of judgement and placing, compressed, in a format (`shapes.py`); empty where refusal says why the session could
    not be judged.
    """

    __tablename__ = "judgements"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("charging_sessions.id"), unique=True)
    judges: Mapped[int] = mapped_column(Integer)
    format: Mapped[int] = mapped_column(Integer)
    made_of: Mapped[str] = mapped_column(Text)
    outcome: Mapped[str] = mapped_column(String(20))
    danger: Mapped[bool] = mapped_column(Boolean, default=False, server_default="0")
    verdict: Mapped[str] = mapped_column(Text)
    next_test: Mapped[str] = mapped_column(Text)
    leads: Mapped[str] = mapped_column(String(60), default="", server_default="")
    stages: Mapped[str] = mapped_column(Text)
    result: Mapped[bytes] = mapped_column(LONGBLOB, deferred=True)
    refusal: Mapped[str] = mapped_column(Text, default="")
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)

    session: Mapped[ChargingSession] = relationship(back_populates="judgement")


class Placement(Base):
    """Where a person put a capture on its session's clock; offset_s None gives it back to the machine. Latest holds."""

    __tablename__ = "placements"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    capture_id: Mapped[int] = mapped_column(ForeignKey("captures.id"), index=True)
    offset_s: Mapped[float | None] = mapped_column(Double)
    by_name: Mapped[str] = mapped_column(String(80))
    why: Mapped[str] = mapped_column(String(300))
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)


class Observation(Base):
    """What a person heard, saw, measured or did, for a session or a case.

    kind: a stamp's key, or pin | step | plan | code | repair | closing. at_s: on the session's clock, for stamps.
    place: contact, step or plan. Struck out, it stays on record and counts no more.
    """

    __tablename__ = "observations"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    case_id: Mapped[int | None] = mapped_column(ForeignKey("cases.id"), index=True)
    session_id: Mapped[int | None] = mapped_column(ForeignKey("charging_sessions.id"), index=True)
    kind: Mapped[str] = mapped_column(String(30))
    at_s: Mapped[float | None] = mapped_column(Double)
    place: Mapped[str] = mapped_column(String(80), default="")
    value: Mapped[float | None] = mapped_column(Double)
    unit: Mapped[str] = mapped_column(String(12), default="")
    text: Mapped[str] = mapped_column(String(500), default="")
    by_name: Mapped[str] = mapped_column(String(80), default="")
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)
    struck_by: Mapped[str] = mapped_column(String(80), default="")

    case: Mapped[Case | None] = relationship(back_populates="observations")
    session: Mapped[ChargingSession | None] = relationship(back_populates="observations")


class KnownGood(Base):
    """A capture kept as the known-good one of a model of lead, post or vehicle. The latest of a model holds."""

    __tablename__ = "known_goods"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    model: Mapped[str] = mapped_column(String(120), index=True)
    capture_id: Mapped[int] = mapped_column(ForeignKey("captures.id"))
    by_name: Mapped[str] = mapped_column(String(80))
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)

    capture: Mapped[Capture] = relationship()


class KeyLogFile(Base):
    """Secrets of TLS sessions, compressed; apart from captures, and never among what is given out.

    connections: how many it has lines of, 0 where never counted.
    """

    __tablename__ = "key_logs"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("charging_sessions.id"), index=True)
    name: Mapped[str] = mapped_column(String(255))
    sha256: Mapped[str] = mapped_column(String(64))
    text: Mapped[bytes] = mapped_column(MEDIUMBLOB)
    connections: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)


class BusDescription(Base):
    """A description of a bus (DBC, compressed). messages, signals: how many it names, 0 where never counted.

    kind: controller | connector. roles: JSON of role to signal, "" while
    they are guessed; by_name, made_at: who settled them, when."""

    __tablename__ = "bus_descriptions"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    title: Mapped[str] = mapped_column(String(255))
    sha256: Mapped[str] = mapped_column(String(64), index=True, unique=True)
    text: Mapped[bytes] = mapped_column(MEDIUMBLOB)
    kind: Mapped[str] = mapped_column(String(12), default="controller")
    messages: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    signals: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    roles: Mapped[str] = mapped_column(Text, default="")
    by_name: Mapped[str] = mapped_column(String(80), default="")
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)


class InstrumentRoles(Base):
    """Roles of channels confirmed for files of one instrument, told by format, channel names and units."""

    __tablename__ = "instrument_roles"

    signature: Mapped[str] = mapped_column(String(64), primary_key=True)
    roles: Mapped[str] = mapped_column(Text)
    by_name: Mapped[str] = mapped_column(String(80))
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)


class Trail(Base):
    """Something that was removed for good. what: capture, session or description. about: what went with it."""

    __tablename__ = "trail"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    what: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(255))
    about: Mapped[str] = mapped_column(String(500), default="")
    by_name: Mapped[str] = mapped_column(String(80))
    why: Mapped[str] = mapped_column(String(300))
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)
