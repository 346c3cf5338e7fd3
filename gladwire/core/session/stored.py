"""A session's judgement as it is kept: what was said, and where each capture lies on the session's clock."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from gladwire.core.session.alignment import Alignment
from gladwire.core.session.judgement import Judgement
from gladwire.core.session.session import SessionResult


class Judged(BaseModel):
    """alignments: in the order of the captures it was made of. shown_only: names of captures shown and not judged."""

    model_config = ConfigDict(frozen=True)

    judgement: Judgement
    alignments: tuple[Alignment, ...]
    shown_only: tuple[str, ...] = ()

    @classmethod
    def of(cls, result: SessionResult) -> Judged:
        return cls(judgement=result.judgement, alignments=result.alignments, shown_only=result.shown_only)
