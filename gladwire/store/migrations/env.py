"""Alembic's entry: the address comes from the application, never from a file."""

from __future__ import annotations

from alembic import context
from sqlalchemy import create_engine

from gladwire.store import repeatable  # noqa: F401  registers itself with Alembic
from gladwire.store.models import Base

engine = create_engine(context.config.attributes["url"])
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
