"""Numbers as people type them into forms."""

from __future__ import annotations

from typing import Annotated

from pydantic import BeforeValidator


def _typed(value: object) -> object:
    """Empty means nothing typed; a decimal comma is a decimal sign, a true minus a minus."""
    if isinstance(value, str):
        return value.strip().replace(",", ".").replace("−", "-") or None
    return value


TypedNumber = Annotated[float, BeforeValidator(_typed)]
OptionalNumber = Annotated[float | None, BeforeValidator(_typed)]
