"""Tables. Times are UTC without zone; originals are kept byte for byte in compressed chunks."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import Any

from sqlalchemy import BigInteger, Boolean, Date, Double, ForeignKey, Index, Integer, String, Text
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB, MEDIUMBLOB, MEDIUMTEXT
from sqlalchemy.orm import DeclarativeBase, Mapped, declared_attr, mapped_column, relationship

from gladwire.store.shapes import DETAILS_FORMAT, SETTLED_FORMAT

_Moment = DATETIME(fsp=6)


def utc_now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)


class Base(DeclarativeBase):
    pass


class Case(Base):
    """A complaint about a vehicle and/or a post, until proven mended. state: open | closed.

    modes: keys of the modes that were reported, by comma; each needs its own proof. waits_on: key of whom or what it waits
    for (`core/case/ending.py`), since waits_since; back_on: the day it comes back by itself. closed_as: how it ended.
    """

    __tablename__ = "cases"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    title: Mapped[str] = mapped_column(String(200))
    complaint: Mapped[str] = mapped_column(Text, default="")
    vehicle: Mapped[str] = mapped_column(String(120), default="")
    post: Mapped[str] = mapped_column(String(120), default="")
    waits_for: Mapped[str] = mapped_column(String(300), default="")
    waits_on: Mapped[str] = mapped_column(String(8), default="", server_default="")
    waits_since: Mapped[datetime] = mapped_column(_Moment, default=utc_now)
    back_on: Mapped[date | None] = mapped_column(Date)
    closed_as: Mapped[str] = mapped_column(String(14), default="", server_default="")
    modes: Mapped[str] = mapped_column(String(120), default="")
    state: Mapped[str] = mapped_column(String(10), default="open", index=True)
    created_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)
    closed_at: Mapped[datetime | None] = mapped_column(_Moment)

    sessions: Mapped[list[ChargingSession]] = relationship(back_populates="case", order_by="ChargingSession.id")
    observations: Mapped[list[Observation]] = relationship(order_by="Observation.id", back_populates="case")
    attempts: Mapped[list[Attempt]] = relationship(order_by="Attempt.id", back_populates="case")


def _piece(table: Any, name: str) -> Mapped[Equipment | None]:
    return relationship("Equipment", foreign_keys=f"{table.__name__}.{name}_id")


class TakesPart:
    """What took part in a plug-in, where it is known: pieces of equipment, and the software version that was on."""

    vehicle_id: Mapped[int | None] = mapped_column(ForeignKey("equipment.id"), index=True)
    stall_id: Mapped[int | None] = mapped_column(ForeignKey("equipment.id"), index=True)
    lead_id: Mapped[int | None] = mapped_column(ForeignKey("equipment.id"), index=True)
    adapter_id: Mapped[int | None] = mapped_column(ForeignKey("equipment.id"), index=True)
    controller_id: Mapped[int | None] = mapped_column(ForeignKey("equipment.id"), index=True)
    software: Mapped[str] = mapped_column(String(30), default="", server_default="")

    @declared_attr
    def vehicle(cls) -> Mapped[Equipment | None]:
        return _piece(cls, "vehicle")

    @declared_attr
    def stall(cls) -> Mapped[Equipment | None]:
        return _piece(cls, "stall")

    @declared_attr
    def lead(cls) -> Mapped[Equipment | None]:
        return _piece(cls, "lead")

    @declared_attr
    def adapter(cls) -> Mapped[Equipment | None]:
        return _piece(cls, "adapter")

    @declared_attr
    def controller(cls) -> Mapped[Equipment | None]:
        return _piece(cls, "controller")


class ChargingSession(TakesPart, Base):
    """One plug-in. It may belong to no case yet. mode: key of the mode it was tried in, or empty; step: key of the step of a
    checklist it was captured for, or empty.

    asked, judged: how often a judgement was asked for, and up to which of
    these it was made; it waits while they differ. judge, judging_since: the worker that makes it.
    """

    __tablename__ = "charging_sessions"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    case_id: Mapped[int | None] = mapped_column(ForeignKey("cases.id"), index=True)
    title: Mapped[str] = mapped_column(String(200))
    mode: Mapped[str] = mapped_column(String(20), default="")
    step: Mapped[str] = mapped_column(String(40), default="", server_default="")
    created_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now, index=True)
    asked: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    judged: Mapped[int] = mapped_column(Integer, default=0, server_default="0")
    judge: Mapped[str] = mapped_column(String(64), default="", server_default="")
    judging_since: Mapped[datetime | None] = mapped_column(_Moment)

    case: Mapped[Case | None] = relationship(back_populates="sessions")
    judgement: Mapped[StoredJudgement | None] = relationship(back_populates="session", uselist=False)
    captures: Mapped[list[Capture]] = relationship(back_populates="session", order_by="Capture.id")
    observations: Mapped[list[Observation]] = relationship(order_by="Observation.id", back_populates="session")


class Attempt(TakesPart, Base):
    """A plug-in without a capture. came: charged | failed | open. start: how it was begun; stage: the furthest it got, as far
    as anybody could tell; said: what displays said. Struck out, it stays on record and counts no more."""

    __tablename__ = "attempts"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    case_id: Mapped[int] = mapped_column(ForeignKey("cases.id"), index=True)
    came: Mapped[str] = mapped_column(String(8))
    start: Mapped[str] = mapped_column(String(10), default="", server_default="")
    stage: Mapped[str] = mapped_column(String(16), default="", server_default="")
    said: Mapped[str] = mapped_column(String(300), default="", server_default="")
    by_name: Mapped[str] = mapped_column(String(80), default="")
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now, index=True)
    struck_by: Mapped[str] = mapped_column(String(80), default="", server_default="")

    case: Mapped[Case] = relationship(back_populates="attempts")


class Equipment(Base):
    """A thing with identity: vehicle, stall, cabinet, site, lead, adapter, controller or instrument. details: JSON of its
    kind's spec (`core/power/equipment.py`), in a format (`shapes.py`). made_at: since when it has these figures."""

    __tablename__ = "equipment"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    kind: Mapped[str] = mapped_column(String(10), index=True)
    name: Mapped[str] = mapped_column(String(120))
    site: Mapped[str] = mapped_column(String(120), default="", index=True)
    details: Mapped[str] = mapped_column(Text, default="{}")
    format: Mapped[int] = mapped_column(Integer, default=DETAILS_FORMAT, server_default="1")
    by_name: Mapped[str] = mapped_column(String(80), default="")
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)


class EquipmentBefore(Base):
    """What a piece of equipment was called and what its figures were, from made_at until until."""

    __tablename__ = "equipment_before"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    equipment_id: Mapped[int] = mapped_column(ForeignKey("equipment.id"), index=True)
    name: Mapped[str] = mapped_column(String(120))
    site: Mapped[str] = mapped_column(String(120), default="")
    details: Mapped[str] = mapped_column(Text)
    format: Mapped[int] = mapped_column(Integer)
    by_name: Mapped[str] = mapped_column(String(80), default="")
    made_at: Mapped[datetime] = mapped_column(_Moment)
    until: Mapped[datetime] = mapped_column(_Moment, default=utc_now)


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
    stop_asked_by: who wished it stopped. instrument_id: what it was taken with, where somebody said so.
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
    instrument_id: Mapped[int | None] = mapped_column(ForeignKey("equipment.id"))

    session: Mapped[ChargingSession] = relationship(back_populates="captures")
    instrument: Mapped[Equipment | None] = relationship("Equipment")
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
    outcome, danger, verdict, next_test, leads (the leading cause's code), stages (JSON): the line a list shows. words: what
    it is found by (`Listed`). result:
    JSON of judgement and placing, compressed, in a format (`shapes.py`); empty where refusal says why the session could
    not be judged.
    """

    __tablename__ = "judgements"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("charging_sessions.id"), unique=True)
    judges: Mapped[int] = mapped_column(Integer)
    format: Mapped[int] = mapped_column(Integer)
    made_of: Mapped[str] = mapped_column(Text, deferred=True)
    outcome: Mapped[str] = mapped_column(String(20))
    danger: Mapped[bool] = mapped_column(Boolean, default=False, server_default="0")
    verdict: Mapped[str] = mapped_column(Text)
    next_test: Mapped[str] = mapped_column(Text)
    leads: Mapped[str] = mapped_column(String(60), default="", server_default="")
    words: Mapped[str] = mapped_column(MEDIUMTEXT, default="", deferred=True)
    stages: Mapped[str] = mapped_column(Text)
    result: Mapped[bytes] = mapped_column(LONGBLOB, deferred=True)
    refusal: Mapped[str] = mapped_column(Text, default="")
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)

    session: Mapped[ChargingSession] = relationship(back_populates="judgement")


class EarlierVerdict(Base):
    """What was said of a session before its judgement came out otherwise. made_at, until: while it was said. why: what
    changed, in words."""

    __tablename__ = "earlier_verdicts"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("charging_sessions.id"), index=True)
    outcome: Mapped[str] = mapped_column(String(20))
    danger: Mapped[bool] = mapped_column(Boolean, default=False)
    verdict: Mapped[str] = mapped_column(Text)
    leads: Mapped[str] = mapped_column(String(60), default="")
    why: Mapped[str] = mapped_column(String(300), default="")
    made_at: Mapped[datetime] = mapped_column(_Moment)
    until: Mapped[datetime] = mapped_column(_Moment, default=utc_now)


class KnownBy(Base):
    """What a piece of equipment is known by: an address, or an identity it tells. It is offered when it is met again."""

    __tablename__ = "known_by"

    mark: Mapped[str] = mapped_column(String(120), primary_key=True)
    equipment_id: Mapped[int] = mapped_column(ForeignKey("equipment.id"), index=True)
    by_name: Mapped[str] = mapped_column(String(80), default="")
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)

    equipment: Mapped[Equipment] = relationship()


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

    kind: a stamp's key, or pin | test | parts of a session, step | plan | situation | code | repair | cause | note | closing
    | photo of a case. at_s: on the session's clock, for stamps. place: contact, step, test, plan or cause. Struck out,
    it stays on record and counts no more. sent_key: by which a device that sends it again is known. instrument_id: what a
    reading was taken with.
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
    sent_key: Mapped[str | None] = mapped_column(String(40), index=True, unique=True)
    instrument_id: Mapped[int | None] = mapped_column(ForeignKey("equipment.id"))

    case: Mapped[Case | None] = relationship(back_populates="observations")
    session: Mapped[ChargingSession | None] = relationship(back_populates="observations")
    instrument: Mapped[Equipment | None] = relationship("Equipment")


class Photograph(Base):
    """The picture of an observation of kind photo, byte for byte. type: image/jpeg, png or webp."""

    __tablename__ = "photographs"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    observation_id: Mapped[int] = mapped_column(ForeignKey("observations.id"), unique=True)
    name: Mapped[str] = mapped_column(String(200), default="")
    type: Mapped[str] = mapped_column(String(20))
    data: Mapped[bytes] = mapped_column(MEDIUMBLOB, deferred=True)


class Sent(Base):
    """The key of what a device kept without a connection and sent later: what comes a second time is there already."""

    __tablename__ = "sent"

    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)


class ModelNote(Base):
    """What was learnt of a make and model, and holds for every piece of it. kind: quirk, or lamp | sound for a legend: shows
    is then what is seen or heard, stage what it stands for."""

    __tablename__ = "model_notes"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    model: Mapped[str] = mapped_column(String(120), index=True)
    kind: Mapped[str] = mapped_column(String(8))
    shows: Mapped[str] = mapped_column(String(80), default="")
    stage: Mapped[str] = mapped_column(String(16), default="")
    text: Mapped[str] = mapped_column(String(300), default="")
    by_name: Mapped[str] = mapped_column(String(80), default="")
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)
    struck_by: Mapped[str] = mapped_column(String(80), default="")


class PlannedVisit(Base):
    """A place somebody goes to on a day; the last word for a place holds."""

    __tablename__ = "planned_visits"

    place: Mapped[str] = mapped_column(String(120), primary_key=True)
    day: Mapped[date] = mapped_column(Date, index=True)
    by_name: Mapped[str] = mapped_column(String(80), default="")
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)


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
    """Something that was removed for good. what: capture, session, description or equipment. about: what went with it."""

    __tablename__ = "trail"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    what: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(255))
    about: Mapped[str] = mapped_column(String(500), default="")
    by_name: Mapped[str] = mapped_column(String(80))
    why: Mapped[str] = mapped_column(String(300))
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)


class Listed(Base):
    """A case, session or piece of equipment as lists sort it and the search finds it; kept beside them by
    `work/listing.py`, and made anew where an older version made it.

    kind: case | session | thing. state: of a case open | closed, of a session its outcome, of a thing its kind. waits_on,
    since, back_on: as of the case. danger: something told of it can hurt. at: of a session its recording, as far as its
    captures tell it. words: all it is found by beside its title.
    """

    __tablename__ = "listed"

    kind: Mapped[str] = mapped_column(String(8), primary_key=True)
    ref: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=False)
    version: Mapped[int] = mapped_column(Integer, default=0)
    title: Mapped[str] = mapped_column(String(300), default="")
    says: Mapped[str] = mapped_column(String(300), default="")
    state: Mapped[str] = mapped_column(String(20), default="")
    waits_on: Mapped[str] = mapped_column(String(8), default="")
    danger: Mapped[bool] = mapped_column(Boolean, default=False)
    at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)
    since: Mapped[datetime] = mapped_column(_Moment, default=utc_now)
    back_on: Mapped[date | None] = mapped_column(Date)
    case_id: Mapped[int | None] = mapped_column(Integer)
    words: Mapped[str] = mapped_column(MEDIUMTEXT, default="", deferred=True)

    __table_args__ = (
        Index("ix_listed_waiting", "kind", "state", "waits_on", "danger", "since"),
        Index("ix_listed_in", "kind", "case_id", "at"),
        Index("ix_listed_at", "kind", "at"),
        Index("ix_listed_newest", "at", "ref"),
        Index("ix_listed_words", "title", "words", mariadb_prefix="FULLTEXT", mysql_prefix="FULLTEXT"),
    )
