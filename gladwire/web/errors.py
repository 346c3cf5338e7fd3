"""One shape for every refusal: what, where, what to do next. As a page, a fragment, or JSON."""

from __future__ import annotations

import traceback
from dataclasses import dataclass

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from sqlalchemy.exc import DBAPIError
from starlette.exceptions import HTTPException
from starlette.responses import JSONResponse, Response

from gladwire.store.database import DEADLOCK
from gladwire.web.templating import render


@dataclass(frozen=True)
class Refusal:
    """What a person reads when something is refused."""

    title: str
    what: str
    next: str = ""


# MariaDB's and its client's own numbers: no connection, or lost while asking; shutting down; killed.
_NO_ANSWER = frozenset({2002, 2003, 2006, 2013, 2055, 1053, 1927, 0})
# Disk full, table full, an error of the file system.
_NO_ROOM = frozenset({1021, 1114, 1030, 28})
SECURITY = {
    "content-security-policy": (
        "default-src 'self'; img-src 'self' data: blob:; media-src 'self' blob:; style-src 'self' 'unsafe-inline'; "
        "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
    ),
    "x-content-type-options": "nosniff",
    "referrer-policy": "same-origin",
}


class RefusedError(Exception):
    """Raised by routes. status: the HTTP status that goes with it."""

    def __init__(self, status: int, what: str, next_: str = "") -> None:
        super().__init__(what)
        self.status, self.what, self.next = status, what, next_


_TITLES = {
    404: "Not here",
    409: "Not now",
    413: "Too large",
    422: "Not understood",
    403: "Refused",
    503: "Not now",
    507: "No room",
}


def refusal_response(request: Request, status: int, what: str, next_: str = "") -> Response:
    """The refusal in the form the caller asked for."""
    refusal = Refusal(_TITLES.get(status, "Something broke"), what, next_)
    if request.headers.get("hx-request"):
        return render("parts/refusal.html", refusal, status)
    if "text/html" not in request.headers.get("accept", ""):
        return JSONResponse({"error": what, "next": next_}, status)
    return render("refusal.html", refusal, status)


def install(app: FastAPI) -> None:
    """Answer every exception in that one shape."""

    @app.exception_handler(RefusedError)
    async def refused(request: Request, error: RefusedError) -> Response:
        return refusal_response(request, error.status, error.what, error.next)

    @app.exception_handler(HTTPException)
    async def http(request: Request, error: HTTPException) -> Response:
        what = "There is nothing at this address." if error.status_code == 404 else str(error.detail)
        return refusal_response(request, error.status_code, what, "Go back to Today.")

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> Response:
        first = error.errors()[0]
        place = " ".join(str(part) for part in first["loc"][1:])
        return refusal_response(request, 422, f"{place or 'The request'}: {first['msg']}.", "Correct it and try again.")

    @app.exception_handler(DBAPIError)
    async def without_database(request: Request, error: DBAPIError) -> Response:
        number = next(iter(getattr(error.orig, "args", ())), 0)
        if number in _NO_ROOM:
            what = "There is no room left on the disk. Nothing of this was stored."
            return refusal_response(request, 507, what, "Make room on the disk, then do it again.")
        if number == DEADLOCK:
            what = "Somebody wrote the same at the same moment. Nothing of this was stored."
            return refusal_response(request, 503, what, "Do it again.")
        if number in _NO_ANSWER or error.connection_invalidated:
            what = f"The database does not answer; it is being brought back. {_what_is_known(request)}"
            return refusal_response(request, 503, what, "Wait a few seconds, then look at the page again.")
        traceback.print_exception(error)
        return _broken(request)

    @app.exception_handler(Exception)
    async def broken(request: Request, error: Exception) -> Response:
        response = _broken(request)
        response.headers.update(SECURITY)  # this answer passes no middleware
        return response


def _broken(request: Request) -> Response:
    what = f"The application could not do this. {_what_is_known(request)}"
    return refusal_response(request, 500, what, "Try again; the reason is in the server's output.")


def _what_is_known(request: Request) -> str:
    """A failure after the commit looks like one before it: only what reads surely changed nothing."""
    if request.method in ("GET", "HEAD"):
        return "Nothing was changed."
    return "Whether it was stored is not known from here: look before you do it again."
