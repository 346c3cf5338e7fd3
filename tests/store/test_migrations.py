"""Schema changes cut off at every statement, as by Ctrl+C or a kill, and begun again."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import create_engine, text
from sqlalchemy.exc import OperationalError

from gladwire.store.database import SchemaError, migrate, migration_config
from gladwire.store.mariadb import PrivateMariaDB
from gladwire.store.models import Base
from gladwire.store.repeatable import RepeatableMariaDB


class CutOffError(Exception):
    """The process ended here."""


@contextmanager
def cut_off(monkeypatch: pytest.MonkeyPatch, at: int, after: bool) -> Iterator[list[int]]:
    """End before or after the statement of this number; yields how many were made."""
    made = [0]
    whole = RepeatableMariaDB._exec

    def counted(self: Any, construct: Any, *args: Any, **kwargs: Any) -> Any:
        made[0] += 1
        if made[0] == at and not after:
            raise CutOffError
        result = whole(self, construct, *args, **kwargs)
        if made[0] == at:
            raise CutOffError
        return result

    with monkeypatch.context() as patch:
        patch.setattr(RepeatableMariaDB, "_exec", counted)
        yield made


@pytest.fixture
def url(mariadb: PrivateMariaDB) -> Iterator[str]:
    """The database of the tests without a table; whole again after."""
    emptied(mariadb.url)
    yield mariadb.url
    emptied(mariadb.url)
    migrate(mariadb.url)


def emptied(url: str) -> None:
    engine = create_engine(url)
    with engine.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for (table,) in connection.execute(text("SHOW TABLES")).all():
            connection.execute(text(f"DROP TABLE `{table}`"))
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 1"))
    engine.dispose()


def is_whole(url: str) -> bool:
    engine = create_engine(url)
    with engine.connect() as connection:
        same = compare_metadata(MigrationContext.configure(connection), Base.metadata) == []
    engine.dispose()
    return same


def revision(url: str) -> str | None:
    engine = create_engine(url)
    with engine.connect() as connection:
        found = MigrationContext.configure(connection).get_current_revision()
    engine.dispose()
    return found


def cut_off_all_along(url: str, monkeypatch: pytest.MonkeyPatch, last: str = "") -> int:
    """Bring the schema up, cut off at every statement of every revision in turn, up to the last one; how often it was."""
    at, cuts, stands = 1, 0, revision(url)
    while True:
        if last and stands == last:
            migrate(url)
            return cuts
        try:
            with cut_off(monkeypatch, at, after=bool(at % 2)):
                migrate(url)
            return cuts
        except CutOffError:
            cuts += 1
            at, stands = (at + 1, stands) if revision(url) == stands else (2, revision(url))


def test_a_first_start_cut_off_at_every_statement_goes_on(url: str, monkeypatch: pytest.MonkeyPatch) -> None:
    # Later revisions are cut off in an upgrade, which brings data along too.
    assert cut_off_all_along(url, monkeypatch, last="0001") > 15
    assert is_whole(url)


def test_an_upgrade_of_a_full_folder_cut_off_at_every_statement_keeps_all(
    url: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    command.upgrade(migration_config(url), "0001")
    row = (
        "INSERT INTO cases (title, complaint, vehicle, post, waits_for, state, created_at) "
        "VALUES ('Old', 'since spring', '', '', '', 'open', '2026-01-02 03:04:05')"
    )
    engine = create_engine(url)
    with engine.begin() as connection:
        connection.execute(text(row))
    assert cut_off_all_along(url, monkeypatch) > 35
    with engine.connect() as connection:
        assert connection.execute(text("SELECT title, complaint FROM cases")).all() == [("Old", "since spring")]
    engine.dispose()
    assert is_whole(url)


def test_a_statement_that_is_wrong_is_not_taken_for_one_made_before(url: str) -> None:
    migrate(url)
    engine = create_engine(url)
    with engine.begin() as connection:
        connection.execute(text("ALTER TABLE cases DROP COLUMN complaint"))
    engine.dispose()
    with pytest.raises(SchemaError, match="complaint"):
        migrate(url)
    with pytest.raises(OperationalError):
        migrate(url.replace("/gladwire?", "/no_such_database?"))


def test_data_of_a_newer_version_are_refused_in_words_and_left_alone(url: str) -> None:
    migrate(url)
    engine = create_engine(url)
    with engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    with pytest.raises(SchemaError, match="a newer version kept these data"):
        migrate(url)
    assert revision(url) == "9999"
    engine.dispose()


def test_steps_that_became_one_with_tests_keep_what_was_said(url: str) -> None:
    command.upgrade(migration_config(url), "0009")
    kept = (
        ("step", "other_lead", "no", "", "elsewhere", "so", ""),
        ("step", "mode2_ok", "yes", "", "mode2_ok", "not_so", ""),
        ("step", "look", "yes", "a lip", "look", "other", "a lip"),
        ("step", "codes", "skip", "", "codes", "skip", ""),
        ("step", "cp_core", "Ω", "", "cp_core", "Ω", ""),
        ("test", "post_alone", "so", "", "post_alone", "dead", ""),
        ("test", "not_authorised", "so", "", "other_means", "so", ""),
    )
    engine = create_engine(url)
    insert = text(
        "INSERT INTO observations (kind, place, unit, text, by_name, made_at, struck_by) "
        "VALUES (:kind, :place, :unit, :text, 'R', '2026-01-02', '')"
    )
    with engine.begin() as connection:
        for kind, place, unit, words, *_ in kept:
            connection.execute(insert, {"kind": kind, "place": place, "unit": unit, "text": words})
        connection.execute(insert, {"kind": "step", "place": "swap", "unit": "yes", "text": "the lead"})
    migrate(url)
    migrate(url)
    with engine.connect() as connection:
        found = connection.execute(text("SELECT kind, place, unit, text FROM observations ORDER BY id")).all()
    engine.dispose()
    assert [tuple(row) for row in found[:-1]] == [(kind, *now) for kind, _, _, _, *now in kept]
    assert found[-1].kind == "note"
    assert found[-1].text.endswith("it follows one part. the lead")


def test_attempts_and_what_took_part_become_rows_and_pieces(url: str) -> None:
    command.upgrade(migration_config(url), "0011")
    engine = create_engine(url)
    rows = (
        "INSERT INTO cases (id, title, complaint, vehicle, post, waits_for, modes, state, created_at, waits_since) "
        "VALUES (1, 'x', '', '', '', '', '', 'open', '2026-01-02', '2026-01-02')",
        "INSERT INTO equipment (id, kind, name, site, details, by_name, made_at) "
        "VALUES (5, 'vehicle', 'van 7', '', '{}', 'x', '2026-01-02')",
        "INSERT INTO charging_sessions (id, case_id, title, created_at) VALUES (3, 1, 's', '2026-01-02')",
    )
    noted = (
        (10, 1, None, "attempt", "failed", '{"vehicle": "van 7", "post": "post “2”", "said": "E-04", "software": "1.4"}', ""),
        (11, 1, None, "attempt", "charged", '{"vehicle": "van 3", "lead": "grey"}', "Ines"),
        (12, None, 3, "parts", "", '{"vehicle": "van 3", "post": "post 3"}', "Ines"),
        (13, None, 3, "parts", "", '{"vehicle": "van 7", "adapter": "tug", "software": "2"}', ""),
        (14, 1, None, "note", "", "kept", ""),
    )  # fmt: skip
    with engine.begin() as connection:
        for row in rows:
            connection.execute(text(row))
        for number, case, session, kind, unit, said, struck in noted:
            connection.execute(
                text(
                    "INSERT INTO observations (id, case_id, session_id, kind, place, unit, text, by_name, made_at, "
                    "struck_by) VALUES (:n, :c, :s, :k, '', :u, :t, 'Runa', '2026-02-03', :x)"
                ),
                {"n": number, "c": case, "s": session, "k": kind, "u": unit, "t": said, "x": struck},
            )
    migrate(url)
    with engine.connect() as connection:
        attempts = connection.execute(
            text(
                "SELECT a.id, a.came, a.said, a.software, a.struck_by, v.id, v.name, s.name, l.name FROM attempts a "
                "LEFT JOIN equipment v ON v.id = a.vehicle_id LEFT JOIN equipment s ON s.id = a.stall_id "
                "LEFT JOIN equipment l ON l.id = a.lead_id ORDER BY a.id"
            )
        ).all()
        assert attempts[0] == (10, "failed", "E-04", "1.4", "", 5, "van 7", "post “2”", None)
        assert attempts[1][1:5] + attempts[1][6:] == ("charged", "", "", "Ines", "van 3", None, "grey")
        session = connection.execute(
            text(
                "SELECT vehicle_id, stall_id, a.name, software FROM charging_sessions s "
                "JOIN equipment a ON a.id = s.adapter_id"
            )
        ).all()
        assert session == [(5, None, "tug", "2")]
        left = connection.execute(text("SELECT id FROM observations ORDER BY id")).scalars().all()
        assert left == [12, 13, 14]
    engine.dispose()
