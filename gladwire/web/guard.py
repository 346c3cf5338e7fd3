"""What every request passes: origin of writes, size of uploads, headers of answers."""

from __future__ import annotations

from urllib.parse import urlsplit

from starlette.requests import Request
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from gladwire.web.errors import refusal_response
from gladwire.web.static_files import is_versioned

# A hundred million samples written as text and packed with gzip stay below this.
MOST_UPLOAD_BYTES = 2**30
_POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; media-src 'self' blob:; "
    "style-src 'self' 'unsafe-inline'; frame-ancestors 'none'; "
    "base-uri 'none'; form-action 'self'"
)
_HEADERS = [
    (b"content-security-policy", _POLICY.encode()),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"same-origin"),
]


class Guard:
    """ASGI middleware. Refuses writes from other sites and uploads that announce or reach too many bytes."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request = Request(scope)
        if request.method not in ("GET", "HEAD") and not _same_site(request):
            response = refusal_response(request, 403, "This request came from another site.", "Open the page here.")
            await response(scope, receive, send)
            return
        announced = request.headers.get("content-length", "0")
        if announced.isdigit() and int(announced) > MOST_UPLOAD_BYTES:
            await _too_large(request)(scope, receive, send)
            return
        await self.app(scope, _counted(receive), _with_headers(send, request))


def _same_site(request: Request) -> bool:
    origin = request.headers.get("origin")
    return origin is None or urlsplit(origin).netloc == request.headers.get("host")


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
