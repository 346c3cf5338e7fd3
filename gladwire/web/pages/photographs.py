"""Photographs of a case: what was seen, where, by whom and when."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, File, Form, UploadFile
from starlette.responses import RedirectResponse, Response

from gladwire.core.diagnosis.tests import BY_KEY as TESTS
from gladwire.store.models import Observation
from gladwire.store.photographs import MOST_BYTES, add_photograph, photograph
from gladwire.web.errors import RefusedError
from gladwire.web.forms import refused
from gladwire.web.pages.cases import case_or_404
from gladwire.web.sent import TypedEarlier
from gladwire.web.services import Database
from gladwire.web.signing import signed

router = APIRouter()
_MOST_AT_ONCE = 20


@router.post("/cases/{number}/photographs")
def keep(
    db: Database,
    number: int,
    typed: TypedEarlier,
    pictures: Annotated[list[UploadFile], File()],
    by_name: Annotated[str, Form(min_length=1, max_length=80)],
    text: Annotated[str, Form(max_length=300)] = "",
    step: Annotated[str, Form(max_length=40)] = "",
) -> Response:
    """Keep photographs, all or none; step: key of the step they belong to."""
    case = case_or_404(db, number)
    if step and step not in TESTS:
        raise RefusedError(422, f"There is no step “{step}”. Nothing was stored.", "Add it on the checklist.")
    back = f"/cases/{number}/checklist#{step}" if step else f"/cases/{number}#noted"
    chosen = _chosen(pictures)
    if typed.is_there(db):
        return RedirectResponse(back, 303)
    for picture in chosen:
        noted = Observation(
            case_id=case.id,
            kind="photo",
            place=step,
            text=text.strip(),
            by_name=by_name.strip(),
            made_at=typed.moment,
        )
        try:
            add_photograph(db, noted, picture.filename or "", picture.file.read(MOST_BYTES + 1))
        except ValueError as error:
            raise refused(error, "Choose pictures as a phone takes them.") from error
    return signed(RedirectResponse(back, 303), by_name.strip())


def _chosen(pictures: Sequence[UploadFile]) -> list[UploadFile]:
    chosen = [p for p in pictures if p.filename]
    if not chosen or len(chosen) > _MOST_AT_ONCE:
        raise RefusedError(422, f"One to {_MOST_AT_ONCE} pictures at once. Nothing was stored.", "Choose again.")
    return chosen


@router.get("/photographs/{number}")
def one(db: Database, number: int) -> Response:
    found = photograph(db, number)
    if found is None:
        raise RefusedError(404, f"There is no photograph {number}.", "Go back to its case.")
    return Response(found.data, media_type=found.type, headers={"cache-control": "private, max-age=86400"})
