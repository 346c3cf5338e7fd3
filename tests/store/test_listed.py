"""Rows of lists and the search follow what they are made of, in the same transaction; nothing is found that is gone."""

from __future__ import annotations

from datetime import date, datetime, timedelta

import pytest
from sqlalchemy import select

from gladwire.store import listed
from gladwire.store.database import Sessions
from gladwire.store.equipment import add_equipment, change_equipment
from gladwire.store.judgements import Claim, keep_refusal
from gladwire.store.listed import (
    PAGE,
    asked,
    closed_cases,
    counts_of_cases,
    find,
    first_waiting,
    open_cases,
    sessions_listed,
)
from gladwire.store.models import Capture, Case, ChargingSession, Equipment, Listed, Observation, utc_now
from gladwire.store.removal import remove_session
from gladwire.work.listing import LISTS, Recorded, come_back, list_outdated, recorded


def names(sessions: Sessions, text: str, kind: str = "") -> list[str]:
    with sessions() as db:
        return [row.title for row in find(db, asked(text), kind, 1).page.rows]


def test_words_of_a_case_of_its_sessions_and_its_notes_find_it(sessions: Sessions) -> None:
    with sessions.begin() as db:
        case = Case(title="Van stops", vehicle="van 7", post="B2", complaint="nach dem Übersetzen")
        db.add(case)
        db.flush()
        number = case.id
        db.add(Observation(case_id=number, kind="note", text="latch filed down", by_name="Ines"))
        db.add(ChargingSession(title="plug-in at dusk", case=case))
    for text in ("van stops", "VAN 7", "b2", "übersetzen", "latch fil", "dusk stops", "7 ines"):
        assert "Van stops" in names(sessions, text, "case"), text
    assert names(sessions, "van latch dusk", "session") == []  # notes of the case are not the session's
    assert names(sessions, "dusk van 7") == ["Van stops", "plug-in at dusk"]
    assert names(sessions, "tram") == names(sessions, "van tram") == []
    with sessions.begin() as db:
        told = db.scalars(select(Observation)).one()
        told.struck_by = "Ines"
        db.get_one(Case, number).vehicle = "bus 4"
    assert names(sessions, "latch") == names(sessions, "van 7 dusk") == []
    assert names(sessions, "bus dusk") == ["Van stops", "plug-in at dusk"]


@pytest.mark.parametrize("text", ["+", "*", '"', "()", "@", "-", "a -b", '+van* "', "~<>", "van)*(", "% _", "   "])
def test_nothing_typed_is_an_operator(sessions: Sessions, text: str) -> None:
    with sessions.begin() as db:
        db.add(Case(title="van a b"))
    with sessions() as db:
        assert find(db, asked(text), "", 1).by_kind in ({}, {"case": 1})


@pytest.mark.parametrize(
    ("text", "words", "since", "before"),
    [
        ("2026-11-30 lock", ("lock",), date(2026, 11, 30), date(2026, 12, 1)),
        ("lock 2026-12", ("lock",), date(2026, 12, 1), date(2027, 1, 1)),
        ("2026-02-29", ("2026", "02", "29"), None, None),
        ("9999-12", ("9999", "12"), None, None),
        ("12026-11-30", ("12026", "11", "30"), None, None),
        (" ".join("abcdefghijklmnop"), tuple("abcdefghijkl"), None, None),
    ],
)
def test_a_day_or_a_month_is_told_from_words(
    text: str, words: tuple[str, ...], since: date | None, before: date | None
) -> None:
    assert asked(text) == (words, since, before)


def test_the_days_of_a_search_begin_and_end_at_midnight(sessions: Sessions) -> None:
    first = datetime(2026, 11, 30)
    with sessions.begin() as db:
        for name, at in (("late", -1), ("first", 0), ("last", 86_399), ("early", 86_400)):
            db.add(ChargingSession(title=name, created_at=first + timedelta(seconds=at)))
    assert sorted(names(sessions, "2026-11-30")) == ["first", "last"]


def test_what_can_hurt_comes_first_then_what_waits_longest(sessions: Sessions) -> None:
    now = utc_now()
    with sessions.begin() as db:
        for n, hours in enumerate((1, 3, 2)):
            db.add(Case(title=f"waits {hours}", waits_since=now - timedelta(hours=hours), waits_on="part" if n else ""))
        unsafe = Case(title="unsafe", sessions=[ChargingSession(title="s")])
        db.add_all([unsafe, Case(title="closed", state="closed")])
        db.flush()
        session = unsafe.sessions[0].id
        keep_refusal(db, Claim(session, 1), "x", 1, {}).refusal = ""
        db.flush()
        db.refresh(unsafe.sessions[0])
        assert unsafe.sessions[0].judgement
        unsafe.sessions[0].judgement.danger = True
    with sessions() as db:
        assert [r.title for r in open_cases(db, (), False, 1).rows] == ["unsafe", "waits 3", "waits 2", "waits 1"]
        assert [r.title for r in open_cases(db, (), True, 1).rows] == ["unsafe"]
        first = first_waiting(db, 1)
        assert {of: (len(f.refs), f.total) for of, f in first.items()} == {
            "unsafe": (1, 1),
            "me": (1, 1),
            "part": (1, 2),
        }
        assert db.get_one(Case, first["part"].refs[0]).title == "waits 3"
        assert [r.title for r in closed_cases(db, 1).rows] == ["closed"]
        assert counts_of_cases(db) == ({("", True): 1, ("", False): 1, ("part", False): 2}, 1)


def test_pages_hold_every_row_once_and_numbers_beyond_are_the_last(sessions: Sessions) -> None:
    with sessions.begin() as db:
        db.add_all([ChargingSession(title=f"s {n}") for n in range(2 * PAGE + 1)])
    with sessions() as db:
        pages = [sessions_listed(db, True, n) for n in (1, 2, 3)]
        assert [len(p.rows) for p in pages] == [PAGE, PAGE, 1]
        assert len({r for p in pages for r in p.refs}) == 2 * PAGE + 1
        assert sessions_listed(db, True, 9).number == sessions_listed(db, True, 3).number == 3
        assert sessions_listed(db, True, -4).number == 1


def test_a_removed_session_and_a_moved_one_are_found_where_they_are(sessions: Sessions) -> None:
    with sessions.begin() as db:
        a, b = Case(title="Aster"), Case(title="Birch")
        gone, moved = ChargingSession(title="gone", case=a), ChargingSession(title="moved", case=a)
        db.add_all([a, b, gone, moved])
    with sessions.begin() as db:
        remove_session(db, db.get_one(ChargingSession, gone.id), "x", "y")
        db.get_one(ChargingSession, moved.id).case_id = b.id
    assert names(sessions, "gone") == []
    assert names(sessions, "moved", "case") == ["Birch"]
    assert names(sessions, "birch", "session") == ["moved"]
    assert names(sessions, "aster", "session") == []


def test_equipment_is_found_by_its_label_and_figures_in_words(sessions: Sessions) -> None:
    with sessions.begin() as db:
        add_equipment(db, "stall", "Quay 3", "Ferry", {"label": "HF-07", "app_name": "Fischmarkt"}, "x")
    assert names(sessions, "hf 07") == names(sessions, "HF-07") == names(sessions, "fischm") == ["Quay 3"]
    with sessions.begin() as db:
        piece = db.scalars(select(Equipment)).one()
        change_equipment(db, piece, "Quay 3", "Ferry", {"label": "HF-08"}, "x")
    assert names(sessions, "hf-07") == []


def test_what_fails_leaves_no_row_and_rows_of_older_versions_are_made_anew(sessions: Sessions) -> None:
    with sessions() as db:
        db.add(Case(title="never"))
        db.flush()
        db.rollback()
    assert names(sessions, "never") == []
    with sessions.begin() as db:
        db.add(Case(title="kept"))
    with sessions.begin() as db:
        row = db.scalars(select(Listed)).one()
        row.version, row.title = LISTS - 1, "stale"
    with sessions.begin() as db:
        assert list_outdated(db) == 1
        assert list_outdated(db) == 0
    assert names(sessions, "kept") == ["kept"]


def test_cases_come_back_on_their_day_and_not_before(sessions: Sessions) -> None:
    day = date(2026, 12, 3)
    with sessions.begin() as db:
        db.add(Case(title="watched", state="closed", closed_as="watched", back_on=day))
        db.add(Case(title="a day", waits_on="day", back_on=day))
    with sessions.begin() as db:
        come_back(db, day - timedelta(days=1))
    with sessions() as db:
        assert open_cases(db, ("me",), False, 1).rows == []
    with sessions.begin() as db:
        come_back(db, day + timedelta(days=4))
    with sessions() as db:
        assert sorted(r.title for r in open_cases(db, ("me",), False, 1).rows) == ["a day", "watched"]
        assert {c.back_on for c in db.scalars(select(Case))} == {None}


@pytest.mark.parametrize(
    ("told", "believed", "zoned"),
    [
        (["2026-11-30T10:00:00Z", "2026-11-30T09:00:00Z"], "2026-11-30T09:00:00", True),
        (["1970-01-01T00:00:10Z"], None, True),
        (["2031-01-01T00:00:00Z", "2026-11-30T10:00:00Z"], "2026-11-30T10:00:00", True),
        (["", "at noon"], None, True),
        (["30.11.2026 08:15:00"], "2026-11-30T08:15:00", False),
        (["2026-11-30 08:15:00+02:00"], "2026-11-30T06:15:00", True),
        (["Mon Nov 30 08:15:00 2026"], None, True),
        (["03/04/2026 08:15"], None, True),
    ],
)
def test_a_session_is_dated_by_its_recording_where_that_can_be(
    told: list[str], believed: str | None, zoned: bool
) -> None:
    received = datetime(2026, 12, 1, 8)
    session = ChargingSession(title="s", captures=[Capture(recorded_at=t, received_at=received) for t in told])
    assert recorded(session) == (Recorded(datetime.fromisoformat(believed), zoned) if believed else None)


def test_of_words_that_are_almost_everywhere_the_newest_come_first(
    sessions: Sessions, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(listed, "MOST_COUNTED", 60)
    with sessions.begin() as db:
        for n in range(70):
            db.add(ChargingSession(title=f"plug-in {n:02d} b", created_at=datetime(2026, 1, 1) + timedelta(days=n)))
        db.add(Case(title="plugged"))
    with sessions() as db:
        for text in ("plug", "b PLUG", "in plu"):
            told = find(db, asked(text), "session", 1)
            assert (told.more, [r.title[8:10] for r in told.page.rows][:3]) == (True, ["69", "68", "67"]), text
        assert find(db, asked("plug 2026-01-05"), "", 1).by_kind == {"session": 1}
        few = find(db, asked("plugged"), "", 1)
        assert (few.more, few.page.total) == (False, 1)
        assert [r.title for r in find(db, asked("plug b 04"), "", 1).page.rows] == ["plug-in 04 b"]


def test_a_single_letter_stands_for_itself(sessions: Sessions) -> None:
    with sessions.begin() as db:
        db.add_all([Case(title="stall b"), Case(title="stall bay")])
    assert names(sessions, "stall b") == ["stall b"]
    assert sorted(names(sessions, "stall ba")) == ["stall bay"]
