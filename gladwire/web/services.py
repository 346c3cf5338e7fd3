"""What routes work with: database sessions, decoded samples, results already parsed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, cast

from fastapi import Depends, Request
from sqlalchemy.orm import Session

from gladwire.core.lanes.frames.message_store import MessageStore
from gladwire.core.signal.envelope import Summary
from gladwire.core.signal.waveform import Waveform
from gladwire.formats.errors import UnreadableError
from gladwire.store.database import Sessions, engine_for, sessions_of
from gladwire.store.models import Capture
from gladwire.store.samples import SampleCache
from gladwire.store.supplements import BUS
from gladwire.web.errors import RefusedError
from gladwire.work.stored import cache_key, measure_stored


@dataclass(frozen=True)
class Services:
    """One per application. demo: whether the demo's invented data is shown."""

    sessions: Sessions
    cache: SampleCache
    demo: bool

    def channel(self, db: Session, capture: Capture, number: int) -> tuple[Waveform, Summary]:
        """Samples of a channel, decoded anew when the cache lost them. Raises RefusedError."""
        try:
            return self.cache.channel(_key(db, capture), number, lambda: measure_stored(self.sessions, capture))
        except (UnreadableError, IndexError) as error:
            raise RefusedError(422, f"The samples of “{capture.name}” cannot be read: {error}.") from error

    def messages(self, db: Session, capture: Capture) -> MessageStore:
        """Every message of a capture of frames, read anew when the cache lost them. Raises RefusedError."""
        try:
            return self.cache.messages(_key(db, capture), lambda: measure_stored(self.sessions, capture))
        except FileNotFoundError as error:
            raise RefusedError(404, f"“{capture.name}” holds no messages.", "Open a capture of frames.") from error
        except UnreadableError as error:
            raise RefusedError(422, f"The frames of “{capture.name}” cannot be read: {error}.") from error


def _key(db: Session, capture: Capture) -> str:
    return cache_key(db, capture, capture.kind == BUS)


def services_for(url: str, cache: Path, demo: bool) -> Services:
    return Services(sessions_of(engine_for(url)), SampleCache(cache), demo)


def services(request: Request) -> Services:
    return cast(Services, request.app.state.services)


ServicesHere = Annotated[Services, Depends(services)]


def at_one_moment(db: Session) -> None:
    """Let all that this transaction reads be of one moment of the store, whatever others commit meanwhile."""
    db.connection(execution_options={"isolation_level": "REPEATABLE READ"})


def database(request: Request, here: ServicesHere) -> Iterator[Session]:
    """One transaction per request: all or nothing. What only reads sees one moment of the store throughout, however often the
    worker replaces a result meanwhile."""
    with here.sessions.begin() as db:
        if request.method in ("GET", "HEAD"):
            at_one_moment(db)
        yield db


# Committed before the answer leaves: what a page promises is stored.
Database = Annotated[Session, Depends(database, scope="function")]
