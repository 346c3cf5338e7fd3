"""Engine, sessions and schema version."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.util import CommandError
from sqlalchemy import Engine, create_engine
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

from gladwire.store.models import Base

Sessions = sessionmaker[Session]


class SchemaError(Exception):
    """The tables are not what this version needs. The sentence says where they differ."""


def engine_for(url: str) -> Engine:
    return create_engine(url, pool_pre_ping=True, pool_size=10, max_overflow=20, isolation_level="READ COMMITTED")


def sessions_of(engine: Engine) -> Sessions:
    """Use as `with sessions.begin() as db:`: one transaction, all or nothing."""
    return sessionmaker(engine, expire_on_commit=False)


# MariaDB's word that two transactions wait for each other, and ended this one; done again it passes.
DEADLOCK, _TRIES = 1213, 4


def in_one(sessions: Sessions, act: Callable[[Session], object]) -> None:
    """`act` in one transaction of its own, done again where it met a deadlock. Raises OperationalError when it goes on."""
    for left in reversed(range(_TRIES)):
        try:
            with sessions.begin() as db:
                act(db)
            return
        except OperationalError as error:
            if not left or error.orig is None or error.orig.args[:1] != (DEADLOCK,):
                raise


def migration_config(url: str) -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["url"] = url
    return config


def migrate(url: str, revision: str = "head") -> None:
    """Bring the schema up to a revision; does nothing when it is there already, and goes on where it was cut off.

    Raises SchemaError where the tables are of a newer version, or the newest schema is not what the models say.
    """
    try:
        command.upgrade(migration_config(url), revision)
    except CommandError as error:
        raise SchemaError(
            f"a newer version kept these data, which this one does not know ({error}); start that one, or restore a backup"
        ) from error
    if revision == "head":
        engine = create_engine(url)
        with engine.connect() as connection:
            differs = compare_metadata(MigrationContext.configure(connection), Base.metadata)
        engine.dispose()
        if differs:
            raise SchemaError(f"the tables of the store are not as this version needs them: {differs[0]}")
