"""What is stored goes into one file and comes back byte for byte; what is damaged, newer or has no room is refused whole."""

from __future__ import annotations

import hashlib
import io
import json
import os
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
from sqlalchemy import create_engine, text

from gladwire.cli import main
from gladwire.store import backup
from gladwire.store.backup import BackupError, back_up, restore
from gladwire.store.captures import add_capture, original
from gladwire.store.database import Sessions, engine_for, sessions_of
from gladwire.store.home import only_one
from gladwire.store.mariadb import PrivateMariaDB
from gladwire.store.models import Capture, Case, ChargingSession

# Packs badly, and holds what a dump has to quote.
CONTENT = os.urandom(5_000_000) + b"'\\\x00\x1a\n\r\"`;--" * 1000


@pytest.fixture
def stored(mariadb: PrivateMariaDB, sessions: Sessions) -> Path:
    with sessions.begin() as db:
        case = Case(title="Kai Ω µ “quoted” \\ ' 🔌", complaint="since spring")
        session = ChargingSession(title="first", case=case)
        db.add(session)
        db.flush()
        add_capture(db, session, "pilot.csv", io.BytesIO(CONTENT))
    return mariadb.home


@pytest.fixture
def taken(stored: Path, tmp_path: Path) -> Path:
    """A backup, taken while the database runs for somebody else."""
    with only_one(stored, "process 1 at http://localhost:1/"):
        return back_up(stored, tmp_path)[0]


def everything(server: PrivateMariaDB) -> dict[str, list[tuple[object, ...]]]:
    engine = create_engine(server.url)
    with engine.connect() as connection:
        tables = [name for (name,) in connection.execute(text("SHOW TABLES"))]
        held = {name: [tuple(row) for row in connection.execute(text(f"SELECT * FROM `{name}`"))] for name in tables}
    engine.dispose()
    return held


def test_it_comes_back_in_an_empty_home_row_for_row(mariadb: PrivateMariaDB, taken: Path, tmp_path: Path) -> None:
    kept = restore(taken, tmp_path / "home")
    assert (kept.captures, kept.cases, kept.damaged) == (1, 1, ())
    with PrivateMariaDB(tmp_path / "home") as server:
        assert everything(server) == everything(mariadb)
        engine = engine_for(server.url)
        with sessions_of(engine)() as db:
            capture = db.query(Capture).one()
        assert b"".join(original(sessions_of(engine), capture)) == CONTENT
        engine.dispose()
    assert sorted(p.name for p in (tmp_path / "home").iterdir() if p.is_dir()) == ["db", "db.tmp"]


def test_a_home_at_rest_is_backed_up_and_left_as_it_was(taken: Path, tmp_path: Path) -> None:
    restore(taken, tmp_path / "home")
    again, kept = back_up(tmp_path / "home", tmp_path / "made" / "here")
    assert kept.captures == 1
    with zipfile.ZipFile(again) as packed:
        manifest = json.loads(packed.read("manifest.json"))
        assert hashlib.sha256(packed.read("dump.sql")).hexdigest() == manifest["sha256"]
    assert not list(again.parent.glob(".*"))
    assert again.stat().st_mode & 0o077 == 0


def test_a_home_that_holds_data_is_left_alone(taken: Path, tmp_path: Path) -> None:
    (tmp_path / "home" / "db").mkdir(parents=True)
    with pytest.raises(BackupError, match="holds data already"):
        restore(taken, tmp_path / "home")
    with only_one(tmp_path / "other", "process 7"), pytest.raises(BackupError, match="in use: process 7"):
        restore(taken, tmp_path / "other")


def rewritten(taken: Path, change: Callable[[bytes, dict[str, object]], bytes], check: bool = False) -> Path:
    """The same backup with another dump or manifest; check: with the checksum of the new dump."""
    with zipfile.ZipFile(taken) as packed:
        dump, manifest = packed.read("dump.sql"), json.loads(packed.read("manifest.json"))
    dump = change(dump, manifest)
    if check:
        manifest["sha256"] = hashlib.sha256(dump).hexdigest()
    other = taken.with_name("other.zip")
    with zipfile.ZipFile(other, "w") as packed:
        packed.writestr("dump.sql", dump)
        packed.writestr("manifest.json", json.dumps(manifest))
    return other


def newer(dump: bytes, manifest: dict[str, object]) -> bytes:
    manifest["tables"] = "9999"
    return dump


@pytest.mark.parametrize(
    ("change", "check", "says"),
    [
        (lambda dump, _: dump[:-1], False, "not the one its checksum"),
        (lambda dump, _: dump.replace(b"since spring", b"since summer"), False, "not the one its checksum"),
        (newer, False, "newer version"),
        (lambda dump, _: dump[:5000] + b"\nNONSENSE;\n", True, "did not take the backup"),
        (lambda dump, _: b"\\! touch /tmp/gladwire-was-here\n" + dump, True, "did not take the backup.*sandbox"),
        (lambda dump, _: b"SELECT 1 INTO OUTFILE '/tmp/gladwire-was-here';\n", True, "did not take the backup"),
    ],
)
def test_a_damaged_or_foreign_dump_is_refused_and_leaves_nothing(
    taken: Path, tmp_path: Path, change: Callable[[bytes, dict[str, object]], bytes], check: bool, says: str
) -> None:
    with pytest.raises(BackupError, match=says):
        restore(rewritten(taken, change, check), tmp_path / "home")
    assert not Path("/tmp/gladwire-was-here").exists()
    assert not [p for p in (tmp_path / "home").glob("*") if p.is_dir()]


@pytest.mark.parametrize("content", [b"", b"PK\x03\x04", b"no archive at all"])
def test_what_is_no_backup_is_refused(tmp_path: Path, content: bytes) -> None:
    (tmp_path / "x.zip").write_bytes(content)
    with pytest.raises(BackupError, match="no backup"):
        restore(tmp_path / "x.zip", tmp_path / "home")
    with pytest.raises(BackupError, match="No such file"):
        restore(tmp_path / "y.zip", tmp_path / "home")


def test_a_cut_file_is_refused(taken: Path, tmp_path: Path) -> None:
    taken.write_bytes(taken.read_bytes()[:-2000])
    with pytest.raises(BackupError, match="no backup"):
        restore(taken, tmp_path / "home")


def test_an_original_damaged_before_is_named_after(
    stored: Path, sessions: Sessions, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    with sessions.begin() as db:
        db.query(Capture).one().sha256 = "0" * 64
    with only_one(stored, ""):
        taken, _ = back_up(stored, tmp_path)
    assert main(["restore", str(taken), "--home", str(tmp_path / "home")]) == 1
    said = capsys.readouterr()
    assert "1 capture, 1 case" in said.out
    assert "“pilot.csv” no longer matches" in said.err


def test_no_room_is_said_and_nothing_is_kept(stored: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    # A device that is always full.
    part = tmp_path / ".part"
    part.symlink_to("/dev/full")
    monkeypatch.setattr(backup.os, "chmod", lambda *_: None)
    monkeypatch.setattr(Path, "with_name", lambda self, _: part)
    with only_one(stored, ""), pytest.raises(BackupError, match="No space left on device; nothing was kept"):
        back_up(stored, tmp_path / "to")
    assert list((tmp_path / "to").iterdir()) == []


def test_little_room_for_a_restore_is_said(taken: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(backup, "_ROOM_KEPT", 10**15)
    with pytest.raises(BackupError, match="MB are free"):
        restore(taken, tmp_path / "home")
    assert not (tmp_path / "home" / "db").exists()


def test_nothing_to_back_up_is_said(tmp_path: Path) -> None:
    with pytest.raises(BackupError, match="no data under"):
        back_up(tmp_path / "nowhere", tmp_path)
    assert not (tmp_path / "nowhere").exists()


def test_an_instance_that_does_not_answer_is_said(tmp_path: Path) -> None:
    (tmp_path / "home" / "db").mkdir(parents=True)
    with only_one(tmp_path / "home", ""), pytest.raises(BackupError, match="try again in a moment"):
        back_up(tmp_path / "home", tmp_path)
