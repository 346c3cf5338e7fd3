"""Static files under addresses that change with their content, so that a browser keeps them for a year and never a stale one.

The version stands in the path, so that what a file names relatively (a module's imports, a style's fonts) is kept as well.
"""

from __future__ import annotations

import hashlib
import mimetypes
import re
from functools import cache
from pathlib import Path

from starlette.responses import Response
from starlette.staticfiles import StaticFiles
from starlette.types import Scope

STATIC = Path(__file__).parent / "static"
_VERSION = re.compile(r"(?:^|/)v[0-9a-f]{10}/")


@cache
def version() -> str:
    """Of all files together."""
    total = hashlib.sha256()
    for path in sorted(p for p in STATIC.rglob("*") if p.is_file()):
        total.update(f"{path.relative_to(STATIC)}\0".encode() + path.read_bytes())
    return f"v{total.hexdigest()[:10]}"


@cache
def address(path: str) -> str:
    """Where a page finds a static file. Raises FileNotFoundError for none."""
    if not (STATIC / path).is_file():
        raise FileNotFoundError(path)
    return f"/static/{version()}/{path}"


@cache
def modules(folder: str) -> tuple[str, ...]:
    """Addresses of all modules of a script, to be fetched at once and not one after the other."""
    return tuple(address(f"{folder}/{path.name}") for path in sorted((STATIC / folder).glob("*.js")))


def is_versioned(path: str) -> bool:
    return path.startswith("/static/") and _VERSION.search(path) is not None


@cache
def _content(path: str) -> tuple[bytes, str]:
    """(bytes, type) of a file, read once: a page opens with some twenty of them, and each look at the disk is waited for."""
    return (STATIC / path).read_bytes(), mimetypes.guess_type(path)[0] or "application/octet-stream"


class VersionedFiles(StaticFiles):
    """Serves a file with or without a version in its address; with one, which never changes, from memory."""

    def get_path(self, scope: Scope) -> str:
        return super().get_path({**scope, "path": _VERSION.sub("/", scope["path"])})

    async def get_response(self, path: str, scope: Scope) -> Response:
        if scope["method"] == "GET" and f"/{version()}/" in scope["path"] and path in _files():
            content, kind = _content(path)
            return Response(content, media_type=kind)
        return await super().get_response(path, scope)


@cache
def _files() -> frozenset[str]:
    return frozenset(str(p.relative_to(STATIC)) for p in STATIC.rglob("*") if p.is_file())
