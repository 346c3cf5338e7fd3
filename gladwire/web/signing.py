"""Who signs: the name typed last is offered again in the same browser."""

from __future__ import annotations

from urllib.parse import quote, unquote

from fastapi import Request
from starlette.responses import Response


def signed(response: Response, by_name: str) -> Response:
    """The response, which also keeps the name for the next form."""
    response.set_cookie("by_name", quote(by_name), max_age=31_536_000, samesite="strict", httponly=True)
    return response


def name_of(request: Request) -> str:
    """Who last signed something in this browser."""
    return unquote(request.cookies.get("by_name", ""))
