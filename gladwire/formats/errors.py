"""The one refusal of every reader."""

from __future__ import annotations

import traceback
from pathlib import Path


class UnreadableError(Exception):
    """A file that cannot be read as a capture.

    what: one sentence, what was expected and what was found. line: 1-based line of the text where it went wrong, or
    None. hint: what to do next, or "".
    """

    def __init__(self, what: str, line: int | None = None, hint: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.line = line
        self.hint = hint

    def __str__(self) -> str:
        place = f"line {self.line}: " if self.line else ""
        return f"{place}{self.what}{'. ' + self.hint if self.hint else ''}"


def unexpected(error: Exception, doing: str) -> UnreadableError:
    """What a file tripped that nobody had thought of, in a sentence, with the place in the code for who mends it."""
    place = traceback.extract_tb(error.__traceback__)[-1]
    what = f"{doing}, it holds something that is not expected there; it is damaged or of a kind not met before"
    return UnreadableError(f"{what} ({type(error).__name__}, {Path(place.filename).stem} {place.lineno})")
