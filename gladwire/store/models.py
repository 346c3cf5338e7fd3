"""Tables. Times are UTC without zone; originals are kept byte for byte in compressed chunks."""

from __future__ import annotations

from datetime import UTC, datetime

from sqlalchemy import BigInteger, Double, ForeignKey, Integer, String, Text
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB, MEDIUMBLOB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

_Moment = DATETIME(fsp=6)


def utc_now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)


class Base(DeclarativeBase):
    pass


class Case(Base):
    """A complaint about a vehicle and/or a post, until proven mended. state: open | closed."""

    __tablename__ = "cases"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    title: Mapped[str] = mapped_column(String(200))
    complaint: Mapped[str] = mapped_column(Text, default="")
    vehicle: Mapped[str] = mapped_column(String(120), default="")
    post: Mapped[str] = mapped_column(String(120), default="")
    waits_for: Mapped[str] = mapped_column(String(300), default="")
    state: Mapped[str] = mapped_column(String(10), default="open", index=True)
    created_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)
    closed_at: Mapped[datetime | None] = mapped_column(_Moment)

    sessions: Mapped[list[ChargingSession]] = relationship(back_populates="case", order_by="ChargingSession.id")


class ChargingSession(Base):
    """One plug-in. It may belong to no case yet."""

    __tablename__ = "charging_sessions"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    case_id: Mapped[int | None] = mapped_column(ForeignKey("cases.id"), index=True)
    title: Mapped[str] = mapped_column(String(200))
    created_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now, index=True)

    case: Mapped[Case | None] = relationship(back_populates="sessions")
    captures: Mapped[list[Capture]] = relationship(back_populates="session", order_by="Capture.id")


class Capture(Base):
    """One recording. state: received | analysing | analysed | unreadable.

    recorded_at: the file's own word for its moment, verbatim. refusal: why it is unreadable.
    claimed_by, claimed_at, attempts: which worker analyses it, since when, and how often one has begun.
    """

    __tablename__ = "captures"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("charging_sessions.id"), index=True)
    name: Mapped[str] = mapped_column(String(255))
    size: Mapped[int] = mapped_column(BigInteger)
    sha256: Mapped[str] = mapped_column(String(64), index=True)
    received_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)
    recorded_at: Mapped[str] = mapped_column(String(80), default="")
    state: Mapped[str] = mapped_column(String(12), default="received", index=True)
    refusal: Mapped[str] = mapped_column(Text, default="")
    claimed_by: Mapped[str] = mapped_column(String(64), default="")
    claimed_at: Mapped[datetime | None] = mapped_column(_Moment)
    attempts: Mapped[int] = mapped_column(Integer, default=0)

    session: Mapped[ChargingSession] = relationship(back_populates="captures")
    settlements: Mapped[list[Settlement]] = relationship(order_by="Settlement.id")
    analyses: Mapped[list[StoredAnalysis]] = relationship(order_by="StoredAnalysis.id", back_populates="capture")


class CaptureChunk(Base):
    """A piece of an original, zlib compressed; pieces in order give the file."""

    __tablename__ = "capture_chunks"

    capture_id: Mapped[int] = mapped_column(ForeignKey("captures.id"), primary_key=True)
    number: Mapped[int] = mapped_column(Integer, primary_key=True)
    data: Mapped[bytes] = mapped_column(MEDIUMBLOB)


class Settlement(Base):
    """What a person settled about a capture, by whom and why. The latest holds; earlier ones stay."""

    __tablename__ = "settlements"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    capture_id: Mapped[int] = mapped_column(ForeignKey("captures.id"), index=True)
    settled: Mapped[str] = mapped_column(Text)
    interval_s: Mapped[float | None] = mapped_column(Double)
    by_name: Mapped[str] = mapped_column(String(80))
    why: Mapped[str] = mapped_column(String(300))
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)


class StoredAnalysis(Base):
    """A derived result, rebuilt from the original at will. settlement_id: None for the machine's own reading."""

    __tablename__ = "analyses"

    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    capture_id: Mapped[int] = mapped_column(ForeignKey("captures.id"), index=True)
    settlement_id: Mapped[int | None] = mapped_column(ForeignKey("settlements.id"))
    analyser: Mapped[int] = mapped_column(Integer)
    outcome: Mapped[str] = mapped_column(String(20))
    verdict: Mapped[str] = mapped_column(Text)
    result: Mapped[bytes] = mapped_column(LONGBLOB)
    made_at: Mapped[datetime] = mapped_column(_Moment, default=utc_now)

    capture: Mapped[Capture] = relationship(back_populates="analyses")
    settlement: Mapped[Settlement | None] = relationship()
