"""Words: what the screens call things, and what that means."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter
from starlette.responses import Response

from gladwire.core.glossary import TOPICS, Topic
from gladwire.web.templating import render

router = APIRouter()


@dataclass(frozen=True)
class WordsPage:
    area: str
    topics: tuple[Topic, ...]


@router.get("/words")
def words() -> Response:
    return render("words.html", WordsPage("words", TOPICS))
