"""All that is stored, in one file: the database's own dump at one moment with its checksum; and back into an empty folder.

The file is a ZIP of two members: `dump.sql`, and `manifest.json` that says what it is, of which schema and moment, and the
SHA-256 of the dump. Decoded samples are not in it, they are made anew from the originals.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import subprocess
import tempfile
import zipfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, Literal, NamedTuple

from alembic.script import ScriptDirectory
from pydantic import BaseModel, ConfigDict, ValidationError
from sqlalchemy import Engine, func, select, text

from gladwire.store.captures import DamagedCaptureError, original
from gladwire.store.database import SchemaError, engine_for, migrate, migration_config, sessions_of
from gladwire.store.home import HomeInUseError, only_one
from gladwire.store.mariadb import DatabaseError, PrivateMariaDB
from gladwire.store.models import Capture, Case

_DUMP, _MANIFEST = "dump.sql", "manifest.json"
_BLOCK = 2**20
# A dump of packed chunks in hexadecimal packs to half at any level; the higher ones only take longer.
_LEVEL = 1
_ROOM_KEPT = 300 * 10**6


class BackupError(Exception):
    """Why nothing was backed up or restored. The sentence says what to do."""


class Manifest(BaseModel):
    """What a backup says of itself. tables: the revision they are of; taken: UTC, ISO 8601."""

    model_config = ConfigDict(extra="forbid")

    what: Literal["Glad Wire backup"] = "Glad Wire backup"
    layout: Literal[1] = 1
    tables: str
    taken: str
    sha256: str


class Kept(NamedTuple):
    """What a backup holds, or a restored folder. damaged: a sentence for each original that is not what was stored."""

    captures: int
    cases: int
    taken: str
    damaged: tuple[str, ...]


def back_up(home: Path, folder: Path) -> tuple[Path, Kept]:
    """Write a backup of the data under `home`, in use or not, as a new file in `folder`. All of one moment.

    Raises BackupError; nothing half written is left then.
    """
    if not (home / "db").is_dir():
        raise BackupError(f"there is no data under {home}")
    with _server(home) as server:
        engine = engine_for(server.url)
        try:
            tables = _tables(engine)
            if tables is None:
                raise BackupError(f"the data under {home} is not set up yet; start it once")
            kept = _counted(engine)
            now = datetime.now(UTC)
            path = folder / f"gladwire-{now:%Y%m%d-%H%M%S}.zip"
            _write(server, path, Manifest(tables=tables, taken=f"{now:%Y-%m-%dT%H:%M:%SZ}", sha256=""))
            if _tables(engine) != tables:
                path.unlink()
                raise BackupError("the tables were brought up to a newer version meanwhile; try again")
        finally:
            engine.dispose()
    return path, kept._replace(taken=f"{now:%Y-%m-%dT%H:%M:%SZ}")


def restore(file: Path, home: Path) -> Kept:
    """Make the data of a backup the data under `home`, which holds none. Every original is held against its checksum.

    Raises BackupError; `home` holds no data then, as before.
    """
    manifest = _manifest(file)
    try:
        with only_one(home, f"process {os.getpid()}, restoring a backup"):
            if (home / "db").exists():
                raise BackupError(
                    f"{home} holds data already; restore into another folder with --home, or move it away"
                )
            aside = home / "restoring"
            shutil.rmtree(aside, ignore_errors=True)
            try:
                kept = _load(file, manifest, aside)
                # Of other data under the same numbers.
                shutil.rmtree(home / "samples", ignore_errors=True)
                (aside / "db.password").rename(home / "db.password")
                (aside / "db").rename(home / "db")
            finally:
                shutil.rmtree(aside, ignore_errors=True)
    except HomeInUseError as other:
        raise BackupError(f"{home} is in use: {other}") from None
    except (DatabaseError, SchemaError) as error:
        raise BackupError(str(error)) from error
    return kept


@contextlib.contextmanager
def _server(home: Path) -> Iterator[PrivateMariaDB]:
    """The database of a folder: the one that runs, or one of our own while the folder is held."""
    server = PrivateMariaDB(home)
    with contextlib.ExitStack() as stack:
        try:
            try:
                stack.enter_context(only_one(home, f"process {os.getpid()}, taking a backup"))
                stack.enter_context(server)
            except HomeInUseError:
                server.attach()
        except DatabaseError as error:
            raise BackupError(str(error)) from error
        yield server


def _tables(engine: Engine) -> str | None:
    """The revision the tables are of; None where there are none."""
    with engine.connect() as connection:
        if not connection.scalar(text("SHOW TABLES LIKE 'alembic_version'")):
            return None
        revision: str | None = connection.scalar(text("SELECT version_num FROM alembic_version"))
        return revision


def _counted(engine: Engine) -> Kept:
    with engine.connect() as connection:
        captures = connection.scalar(select(func.count()).select_from(Capture)) or 0
        cases = connection.scalar(select(func.count()).select_from(Case)) or 0
    return Kept(captures, cases, "", ())


def _write(server: PrivateMariaDB, path: Path, manifest: Manifest) -> None:
    part = path.with_name(f".{path.name}.part")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        if path.exists():
            raise BackupError(f"{path} is there already")
        with part.open("wb") as file:
            os.chmod(part, 0o600)  # it holds customers' captures and key logs
            with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=_LEVEL) as packed:
                with packed.open(_DUMP, "w", force_zip64=True) as out:
                    digest = _dump(server, out)
                packed.writestr(_MANIFEST, manifest.model_copy(update={"sha256": digest}).model_dump_json(indent=1))
            file.flush()
            os.fsync(file.fileno())
        part.rename(path)
    except OSError as error:
        raise BackupError(f"{path} could not be written: {error.strerror or error}; nothing was kept") from error
    finally:
        part.unlink(missing_ok=True)


def _dump(server: PrivateMariaDB, out: IO[bytes]) -> str:
    """Write the dump; returns its SHA-256."""
    # One transaction that only reads: of one moment, and nobody waits.
    options = ("--single-transaction", "--quick", "--hex-blob", "--no-tablespaces", "--skip-triggers")
    command, environment = server.client("mariadb-dump", *options)
    digest = hashlib.sha256()
    with tempfile.TemporaryFile() as said:
        with subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, stderr=said) as process:
            assert process.stdout is not None
            try:
                while block := process.stdout.read(_BLOCK):
                    digest.update(block)
                    out.write(block)
            except BaseException:
                process.kill()
                raise
        if process.returncode:
            raise BackupError(f"the database could not be dumped: {_last_words(said)}; nothing was kept")
    return digest.hexdigest()


def _last_words(said: IO[bytes]) -> str:
    said.seek(0)
    lines = [line for line in said.read().decode(errors="replace").splitlines() if line.strip()]
    return lines[-1][:300] if lines else "it did not say why"


def _manifest(file: Path) -> Manifest:
    """What a backup says of itself, after its dump was held against the checksum."""
    try:
        with zipfile.ZipFile(file) as packed:
            with packed.open(_MANIFEST) as said:
                manifest = Manifest.model_validate_json(said.read(_BLOCK))
            digest = hashlib.sha256()
            with packed.open(_DUMP) as dump:
                while block := dump.read(_BLOCK):
                    digest.update(block)
    except OSError as error:
        raise BackupError(f"{file}: {error.strerror or error}") from error
    except (zipfile.BadZipFile, KeyError, ValidationError, EOFError) as error:
        raise BackupError(f"{file} is no backup of Glad Wire, or is damaged; nothing was changed") from error
    if digest.hexdigest() != manifest.sha256:
        raise BackupError(f"{file} is damaged: the dump is not the one its checksum was taken of; nothing was changed")
    known = {script.revision for script in ScriptDirectory.from_config(migration_config("")).walk_revisions()}
    if manifest.tables not in known:
        raise BackupError(f"{file} was made by a newer version (tables {manifest.tables}); use that one")
    return manifest


def _load(file: Path, manifest: Manifest, aside: Path) -> Kept:
    aside.mkdir(parents=True)
    with zipfile.ZipFile(file) as packed, PrivateMariaDB(aside) as server:
        size, free = packed.getinfo(_DUMP).file_size, shutil.disk_usage(aside).free
        if free < size + _ROOM_KEPT:
            raise BackupError(
                f"{free // 10**6} MB are free under {aside.parent}, {(size + _ROOM_KEPT) // 10**6} are needed"
            )
        # A dump is a program: what it could do outside the tables is switched off.
        command, environment = server.client("mariadb", "--sandbox", "--batch")
        with tempfile.TemporaryFile() as said, packed.open(_DUMP) as dump:
            with subprocess.Popen(command, env=environment, stdin=subprocess.PIPE, stderr=said, stdout=said) as process:
                assert process.stdin is not None
                with contextlib.suppress(BrokenPipeError):  # its exit code and words tell
                    shutil.copyfileobj(dump, process.stdin, _BLOCK)
                    process.stdin.close()
            if process.returncode:
                raise BackupError(f"the database did not take the backup: {_last_words(said)}; nothing was changed")
        migrate(server.url)
        engine = engine_for(server.url)
        try:
            return _counted(engine)._replace(taken=manifest.taken, damaged=tuple(_damaged(engine)))
        finally:
            engine.dispose()


def _damaged(engine: Engine) -> Iterator[str]:
    sessions = sessions_of(engine)
    with sessions() as db:
        captures = db.scalars(select(Capture).order_by(Capture.id)).all()
    for capture in captures:
        try:
            for _ in original(sessions, capture):
                pass
        except DamagedCaptureError as error:
            yield str(error)
