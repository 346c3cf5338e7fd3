"""What routes work with: database sessions, decoded samples, results already parsed."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, cast

from fastapi import Depends, Request
from sqlalchemy.orm import Session

from gladwire.core.lanes.frames.message_store import MessageStore
from gladwire.core.signal.envelope import Summary
from gladwire.core.signal.waveform import Waveform
from gladwire.store.captures import DamagedCaptureError
from gladwire.store.database import Sessions, engine_for
from gladwire.store.models import Capture
from gladwire.store.samples import NoMessagesError, SampleCache
from gladwire.store.supplements import BUS
from gladwire.web.errors import RefusedError
from gladwire.work.analysis import frames_between
from gladwire.work.bounded import RefusedWorkError, default_bounds, run_bounded
from gladwire.work.listing import listing_sessions
from gladwire.work.stored import cache_key, keep_samples_again, options_for, original_file


@dataclass(frozen=True)
class Services:
    """One per application. demo: whether the demo's invented data is shown."""

    sessions: Sessions
    cache: SampleCache
    demo: bool

    def free_bytes(self) -> int:
        """Room left on the disk that holds the store and the samples."""
        return shutil.disk_usage(self.cache.folder).free

    def channel(self, db: Session, capture: Capture, number: int) -> tuple[Waveform, Summary]:
        """Samples of a channel, decoded anew when the cache lost them. Raises RefusedError."""
        try:
            return self.cache.channel(_key(db, capture), number, lambda: self._fill(capture))
        except (RefusedWorkError, DamagedCaptureError, IndexError) as error:
            raise RefusedError(422, f"The samples of “{capture.name}” cannot be read: {error}.") from error

    def messages(self, db: Session, capture: Capture) -> MessageStore:
        """Every message of a capture of frames, read anew when the cache lost them. Raises RefusedError."""
        try:
            return self.cache.messages(_key(db, capture), lambda: self._fill(capture))
        except NoMessagesError as error:
            raise RefusedError(404, f"“{capture.name}” holds no messages.", "Open a capture of frames.") from error
        except (RefusedWorkError, DamagedCaptureError) as error:
            raise RefusedError(422, f"The frames of “{capture.name}” cannot be read: {error}.") from error

    def frames_between(self, db: Session, capture: Capture, first_s: float, last_s: float) -> bytes:
        """The frames of a stretch as a file, empty where there is none. Raises RefusedError."""
        try:
            with original_file(self.sessions, capture) as path:
                arguments = (path, options_for(db, capture), first_s, last_s, f"Frames of {capture.name}")
                content: bytes = run_bounded(frames_between, *arguments, bounds=default_bounds(capture.size))
        except (RefusedWorkError, DamagedCaptureError) as error:
            raise RefusedError(422, f"The frames of “{capture.name}” cannot be read: {error}.") from error
        return content

    def _fill(self, capture: Capture) -> None:
        keep_samples_again(self.sessions, capture, self.cache.folder)


def _key(db: Session, capture: Capture) -> str:
    return cache_key(db, capture, capture.kind == BUS)


def services_for(url: str, cache: Path, demo: bool) -> Services:
    return Services(listing_sessions(engine_for(url)), SampleCache(cache), demo)


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
