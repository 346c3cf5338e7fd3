"""What was learnt of a model: noted on a piece of it, offered wherever one is met again."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form
from pydantic import BaseModel, ConfigDict, Field
from starlette.responses import RedirectResponse, Response

from gladwire.core.case.attempt import REACHED_BY_KEY
from gladwire.store.equipment import piece_of
from gladwire.store.model_notes import model_of
from gladwire.store.models import ModelNote
from gladwire.web.errors import RefusedError
from gladwire.web.services import Database
from gladwire.web.signing import signed

router = APIRouter()


class LearntForm(BaseModel):
    """A quirk in words, or what a lamp or sound stands for."""

    model_config = ConfigDict(str_strip_whitespace=True)

    kind: str = Field(pattern="^(quirk|lamp|sound)$")
    shows: str = Field("", max_length=80)
    stage: str = Field("", max_length=16)
    text: str = Field("", max_length=300)
    by_name: str = Field(min_length=1, max_length=80)


@router.post("/equipment/{number}/learnt")
def learn(db: Database, number: int, form: Annotated[LearntForm, Form()]) -> Response:
    """Note it of the model of this piece."""
    model = model_of(piece_of(db, number))
    if not model:
        raise RefusedError(
            409, "Its model is not noted, so nothing can hold for others of it.", "Note its model first."
        )
    if form.kind == "quirk" and not form.text:
        raise RefusedError(422, "What was learnt is missing. Nothing was stored.", "Say it in a sentence.")
    if form.kind != "quirk" and (not form.shows or form.stage not in REACHED_BY_KEY):
        raise RefusedError(422, "A legend needs what is seen or heard, and the stage. Nothing was stored.", "Say both.")
    kept = form.model_dump(exclude={"by_name"} | ({"shows", "stage"} if form.kind == "quirk" else set()))
    db.add(ModelNote(model=model, **kept, by_name=form.by_name))
    return signed(RedirectResponse(f"/equipment/{number}#learnt", 303), form.by_name)


@router.post("/learnt/{number}/strike")
def strike(
    db: Database,
    number: int,
    by_name: Annotated[str, Form(min_length=1, max_length=80)],
    piece: Annotated[int, Form()],
) -> Response:
    """Strike it out: it stays on record and is offered no more."""
    noted = db.get(ModelNote, number)
    if noted is None:
        raise RefusedError(404, f"There is no note {number} of a model.", "Look at the piece again.")
    noted.struck_by = by_name
    return signed(RedirectResponse(f"/equipment/{piece}#learnt", 303), by_name)
