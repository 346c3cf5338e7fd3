"""What every request passes: origin of writes, size of uploads, headers of answers."""

from __future__ import annotations

import os
import socket
from collections.abc import Iterable
from ipaddress import ip_address
from urllib.parse import urlsplit

from starlette.requests import Request
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from gladwire.web.errors import SECURITY, refusal_response
from gladwire.web.static_files import is_versioned

# A hundred million samples written as text and packed with gzip stay below this.
MOST_UPLOAD_BYTES = 2**30
_HEADERS = [(name.encode(), value.encode()) for name, value in SECURITY.items()]


def allowed_hosts(more: Iterable[str] = ()) -> frozenset[str]:
    """Names under which this application may be asked for: of the loopback, of this machine, and those given.

    A page elsewhere can point a name of its own here and would then be let in as its own site; an address it cannot.
    """
    given = os.environ.get("GLADWIRE_HOSTS", "").split(",")
    return frozenset(
        name.strip().lower() for name in ("localhost", socket.gethostname(), *given, *more) if name.strip()
    )


class Guard:
    """ASGI middleware. Refuses names that are not this application's, writes from other sites, and uploads that announce or
    reach too many bytes."""

    def __init__(self, app: ASGIApp, hosts: frozenset[str]) -> None:
        self.app, self.hosts = app, hosts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request = Request(scope)
        sending = _with_headers(send, request)
        refusal = self._refusal(request)
        if refusal is not None:
            await refusal(scope, receive, sending)
            return
        await self.app(scope, _counted(receive), sending)

    def _refusal(self, request: Request) -> Response | None:
        host = _host_of(request)
        if host not in self.hosts and not _is_address(host):
            what = f"This application does not answer to “{host[:80]}”."
            next_ = "Open it by localhost or its address, or name it in GLADWIRE_HOSTS."
            return refusal_response(request, 403, what, next_)
        if request.method not in ("GET", "HEAD") and not _same_site(request):
            what = "This request came from another site, or does not say where it came from."
            return refusal_response(request, 403, what, "Open the page here.")
        announced = request.headers.get("content-length", "0")
        if announced.isdigit() and int(announced) > MOST_UPLOAD_BYTES:
            return _too_large(request)
        return None


def _host_of(request: Request) -> str:
    try:
        return urlsplit(f"//{request.headers.get('host', '')}").hostname or ""
    except ValueError:
        return ""


def _is_address(host: str) -> bool:
    try:
        ip_address(host)
    except ValueError:
        return False
    return True


def _same_site(request: Request) -> bool:
    """Browsers say where a write comes from, in one way or the other; who says nothing is refused."""
    origin = request.headers.get("origin")
    if origin is not None:
        return origin.partition("://")[2] == request.headers.get("host")
    return request.headers.get("sec-fetch-site") == "same-origin"


def _too_large(request: Request) -> Response:
    what = f"The upload is larger than {MOST_UPLOAD_BYTES // 2**20} MiB. Nothing was stored."
    return refusal_response(
        request, 413, what, "Record a shorter stretch, at a lower rate, or pack the file with gzip."
    )


def _counted(receive: Receive) -> Receive:
    """An upload without an announced length ends as a broken connection once it grows too large."""
    seen = 0

    async def counted() -> Message:
        nonlocal seen
        message = await receive()
        seen += len(message.get("body", b""))
        if seen > MOST_UPLOAD_BYTES:
            return {"type": "http.disconnect"}
        return message

    return counted


def _with_headers(send: Send, request: Request) -> Send:
    versioned = is_versioned(request.url.path)

    async def sending(message: Message) -> None:
        if message["type"] == "http.response.start":
            kept = b"public, max-age=31536000, immutable" if versioned else b"no-cache"
            names = {name for name, _ in message["headers"]}
            extra = [] if b"cache-control" in names else [(b"cache-control", kept)]
            message = {**message, "headers": [*message["headers"], *_HEADERS, *extra]}
        await send(message)

    return sending
