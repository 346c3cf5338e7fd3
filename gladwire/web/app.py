"""The application: routes, static files, refusals, guard."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from fastapi import FastAPI

from gladwire.web import errors
from gladwire.web.guard import Guard, allowed_hosts
from gladwire.web.pages import (
    before_after,
    bench,
    buses,
    captures,
    cases,
    causes,
    checklist,
    compare,
    connectors,
    curves,
    equipment,
    expect,
    find,
    intake,
    known,
    limits,
    messages,
    model_notes,
    pad,
    photographs,
    readings,
    removing,
    session,
    site_play,
    styleguide,
    swaps,
    timeline,
    today,
    visits,
    words,
)
from gladwire.web.services import services_for
from gladwire.web.static_files import STATIC, VersionedFiles

AREAS = (
    today, visits, find, intake, cases, session, known, checklist, compare, connectors, timeline, captures, messages, curves,
    readings, site_play, equipment, model_notes, expect, bench, buses, removing, swaps, pad, photographs, before_after,
    causes, limits, words, styleguide,
)  # fmt: skip


def create_app(database_url: str, cache: Path, demo: bool = False, hosts: Sequence[str] = ()) -> FastAPI:
    """Build the application. Stateless apart from its database and the derived samples under `cache`. hosts: names it
    answers to beside its own."""
    app = FastAPI(title="Glad Wire", docs_url=None, redoc_url=None)
    app.state.services = services_for(database_url, cache, demo)
    for area in AREAS:
        app.include_router(area.router)
    app.mount("/static", VersionedFiles(directory=STATIC), name="static")
    errors.install(app)
    app.add_middleware(Guard, hosts=allowed_hosts(hosts))
    return app
