"""Forms a device may have kept while it had no connection (`static/kept.js`): each counts once, at the moment it was
typed."""

from __future__ import annotations

import re
from datetime import datetime, timedelta
from typing import Annotated, NamedTuple

from fastapi import Depends, Request
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from gladwire.store.models import Sent, utc_now

_KEY = re.compile(r"[A-Za-z0-9-]{8,40}")
# A device without a connection for longer has other troubles.
_LONGEST = timedelta(days=30)


class Typed(NamedTuple):
    """key: by which what is sent again is known, "" of a form that was sent as it was typed; ago: since it was typed."""

    key: str
    ago: timedelta

    @property
    def moment(self) -> datetime:
        return utc_now() - self.ago

    def is_there(self, db: Session) -> bool:
        """Whether it was stored before; else its key is kept in this transaction."""
        if not self.key:
            return False
        try:
            with db.begin_nested():
                db.add(Sent(key=self.key))
        except IntegrityError:
            return True
        return False


async def _typed(request: Request) -> Typed:
    form = await request.form()
    key, ago = str(form.get("sent_key", "")), str(form.get("ago_s", ""))
    seconds = float(ago) if re.fullmatch(r"\d{1,8}(\.\d{1,6})?", ago) else 0.0
    return Typed(key if _KEY.fullmatch(key) else "", min(timedelta(seconds=seconds), _LONGEST))


TypedEarlier = Annotated[Typed, Depends(_typed)]
