"""One shape for every refusal: what, where, what to do next. As a page, a fragment, or JSON."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from starlette.exceptions import HTTPException
from starlette.responses import JSONResponse, Response

from gladwire.web.templating import render


@dataclass(frozen=True)
class Refusal:
    """What a person reads when something is refused."""

    title: str
    what: str
    next: str = ""


class RefusedError(Exception):
    """Raised by routes. status: the HTTP status that goes with it."""

    def __init__(self, status: int, what: str, next_: str = "") -> None:
        super().__init__(what)
        self.status, self.what, self.next = status, what, next_


_TITLES = {404: "Not here", 409: "Not now", 413: "Too large", 422: "Not understood", 403: "Refused"}


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

    @app.exception_handler(Exception)
    async def broken(request: Request, error: Exception) -> Response:
        what = "The application could not do this. Nothing was changed."
        return refusal_response(request, 500, what, "Try again; the reason is in the server's output.")
