"""Originals, queue, corrections and schema on a real MariaDB."""

from __future__ import annotations

import hashlib
import io
import json
import random
import shutil
import threading
import zlib
from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import select, text, update

from gladwire.core.measured import MEASURES, Measured
from gladwire.core.session.judgement import JUDGES
from gladwire.core.settled import Settled
from gladwire.formats.registry import READS
from gladwire.store.captures import (
    CHUNK_BYTES,
    CLAIM_LASTS,
    DamagedCaptureError,
    add_capture,
    ask_again,
    ask_to_stop,
    claim_next,
    original,
    queue_outdated,
    release_claims,
    same_bytes,
    tell_progress,
)
from gladwire.store.database import Sessions, engine_for, migration_config
from gladwire.store.judgements import ask, ask_outdated, claim_session, judged_of, keep_refusal, release_judges, waits
from gladwire.store.mariadb import PrivateMariaDB
from gladwire.store.measurements import add_settlement, measured_of, refuse, settled_of, store_measured
from gladwire.store.models import (
    Base,
    Capture,
    CaptureChunk,
    Case,
    ChargingSession,
    Observation,
    StoredJudgement,
    StoredMeasurement,
    utc_now,
)
from gladwire.store.samples import SampleCache
from gladwire.store.shapes import JUDGED_FORMAT
from gladwire.work.stored import cache_key, keep_samples_again
from gladwire.work.worker import own_name, work_once
from tests.build import pilot


def put(sessions: Sessions, content: bytes, name: str = "a.csv") -> int:
    with sessions.begin() as db:
        session = ChargingSession(title=name)
        db.add(session)
        capture = add_capture(db, session, name, io.BytesIO(content))
        db.flush()
        return capture.id


def got(sessions: Sessions, number: int) -> bytes:
    with sessions() as db:
        return b"".join(original(sessions, db.get_one(Capture, number)))


@pytest.mark.parametrize("size", [1, 1000, CHUNK_BYTES, 2 * CHUNK_BYTES + 17])
def test_an_original_comes_back_byte_for_byte(sessions: Sessions, size: int) -> None:
    content = random.Random(size).randbytes(size)
    number = put(sessions, content)
    assert got(sessions, number) == content
    with sessions() as db:
        capture = db.get_one(Capture, number)
        assert capture.size == size
        found = same_bytes(db, capture.sha256)
        assert found is not None
        assert found.id == number


def test_a_damaged_original_is_noticed(sessions: Sessions) -> None:
    number = put(sessions, b"t,v\n" * 1000)
    with sessions.begin() as db:
        other = put(sessions, b"t,w\n" * 1000)
        data = db.scalar(select(CaptureChunk.data).where(CaptureChunk.capture_id == other))
        db.execute(update(CaptureChunk).where(CaptureChunk.capture_id == number).values(data=data))
    with pytest.raises(DamagedCaptureError, match="checksum"):
        got(sessions, number)
    with sessions.begin() as db:
        db.execute(update(CaptureChunk).where(CaptureChunk.capture_id == number).values(data=b"junk"))
    with pytest.raises(DamagedCaptureError, match="chunk 0"):
        got(sessions, number)


def test_a_broken_upload_leaves_nothing(sessions: Sessions) -> None:
    class Breaking(io.BytesIO):
        def read(self, size: int | None = -1) -> bytes:
            if self.tell() > CHUNK_BYTES:
                raise OSError("gone")
            return super().read(size)

    def upload() -> None:
        with sessions.begin() as db:
            session = ChargingSession(title="x")
            db.add(session)
            add_capture(db, session, "x", Breaking(bytes(3 * CHUNK_BYTES)))

    with pytest.raises(OSError, match="gone"):
        upload()
    with sessions() as db:
        assert [db.scalars(select(t)).all() for t in (ChargingSession, Capture, CaptureChunk)] == [[], [], []]


def test_two_workers_never_get_the_same_capture(sessions: Sessions) -> None:
    numbers = {put(sessions, b"x%d" % i) for i in range(12)}
    claimed: list[int] = []

    def work(name: str) -> None:
        while True:
            with sessions.begin() as db:
                capture = claim_next(db, name)
                if capture is None:
                    return
                claimed.append(capture.id)

    threads = [threading.Thread(target=work, args=(f"w{i}",)) for i in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(claimed) == sorted(numbers)


def test_stops_of_the_application_say_nothing_of_the_capture(sessions: Sessions) -> None:
    number = put(sessions, b"x")
    for _ in range(5):
        with sessions.begin() as db:
            assert claim_next(db, "w") is not None
        with sessions.begin() as db:
            release_claims(db, "w")
        with sessions() as db:
            assert db.get_one(Capture, number).state == "received"


def test_what_is_small_does_not_wait_behind_what_is_large(sessions: Sessions) -> None:
    numbers = [put(sessions, bytes([n])) for n in range(3)]
    with sessions.begin() as db:
        db.get_one(Capture, numbers[0]).size = 17 * 2**20
    claimed = []
    for _ in numbers:
        with sessions.begin() as db:
            capture = claim_next(db, "w")
            assert capture is not None
            claimed.append(capture.id)
    assert claimed == [numbers[2], numbers[1], numbers[0]]


def test_an_analysis_is_stopped_before_it_begins_or_while_it_runs(sessions: Sessions) -> None:
    waits_, runs = put(sessions, b"x"), put(sessions, b"y")
    with sessions.begin() as db:
        ask_to_stop(db.get_one(Capture, waits_), "Ada")
        assert db.get_one(Capture, waits_).state == "unreadable"
        assert "stopped by Ada" in db.get_one(Capture, waits_).refusal
    with sessions.begin() as db:
        assert claim_next(db, "w") is not None
    with sessions.begin() as db:
        assert tell_progress(db, runs, "w", "3 s so far") == ""
        ask_to_stop(db.get_one(Capture, runs), "Ada")
    with sessions.begin() as db:
        assert tell_progress(db, runs, "w", "4 s so far") == "Ada"
        assert db.get_one(Capture, runs).progress == "4 s so far"
        ask_again(db.get_one(Capture, waits_))
        assert claim_next(db, "w") is not None


def test_a_stale_claim_of_another_worker_is_taken_over(sessions: Sessions) -> None:
    put(sessions, b"x")
    with sessions.begin() as db:
        assert claim_next(db, "gone") is not None
    with sessions.begin() as db:
        assert claim_next(db, "here") is None
        db.execute(update(Capture).values(claimed_at=utc_now() - CLAIM_LASTS - timedelta(seconds=1)))
    with sessions.begin() as db:
        assert claim_next(db, "here") is not None


def measured(name: str, measures: int = MEASURES) -> Measured:
    return Measured(format=name, measures=measures)


def keep(sessions: Sessions, number: int, settlement_id: int | None, name: str, measures: int = MEASURES) -> None:
    with sessions.begin() as db:
        capture = db.get_one(Capture, number)
        settlement = next((s for s in capture.settlements if s.id == settlement_id), None)
        content = measured(name, measures).model_dump_json().encode()
        store_measured(db, capture, settlement, content, measures, READS)


def test_the_machines_reading_and_the_corrected_one_both_stay(sessions: Sessions) -> None:
    number = put(sessions, b"x")
    keep(sessions, number, None, "first")
    keep(sessions, number, None, "first again")
    with sessions.begin() as db:
        settlement = add_settlement(db, db.get_one(Capture, number), Settled(scale=10), None, "Ada", "x10 probe")
        db.flush()
        chosen = settlement.id
    keep(sessions, number, None, "late result of the old reading")
    with sessions() as db:
        assert db.get_one(Capture, number).state == "received"
    keep(sessions, number, chosen, "corrected")
    with sessions() as db:
        stored = db.scalars(select(StoredMeasurement).order_by(StoredMeasurement.id)).all()
        assert [measured_of(s).format for s in stored] == ["late result of the old reading", "corrected"]
        assert stored[1].settlement is not None
        assert (stored[1].settlement.by_name, stored[1].settlement.why) == ("Ada", "x10 probe")
        assert settled_of(stored[1].settlement).scale == 10
        assert db.get_one(Capture, number).state == "analysed"


def test_what_an_older_version_measured_is_made_anew(sessions: Sessions) -> None:
    old, new = put(sessions, b"x"), put(sessions, b"y")
    keep(sessions, old, None, "old", MEASURES - 1)
    keep(sessions, new, None, "new", MEASURES)
    with sessions.begin() as db:
        assert queue_outdated(db, READS, MEASURES) == 1
        assert [db.get_one(Capture, n).state for n in (old, new)] == ["received", "analysed"]
    with sessions.begin() as db:
        assert queue_outdated(db, READS + 1, MEASURES) == 1
        assert [db.get_one(Capture, n).state for n in (old, new)] == ["received", "received"]


def test_what_an_older_reader_refused_is_tried_again_once_readers_understand_more(sessions: Sessions) -> None:
    number = put(sessions, b"x")
    with sessions.begin() as db:
        refuse(db.get_one(Capture, number), "this is no capture", READS)
    with sessions.begin() as db:
        assert queue_outdated(db, READS, MEASURES) == 0
        assert queue_outdated(db, READS + 1, MEASURES) == 1
        assert db.get_one(Capture, number).state == "received"


def work(sessions: Sessions, cache: SampleCache) -> None:
    while work_once(sessions, cache, "w"):
        pass


def table() -> bytes:
    wave = pilot().hold(12, 50).pwm(9, 26.7, 200).record(50e3)
    return ("t,CP\n" + "".join(f"{i / 50e3:.6f},{v:.2f}\n" for i, v in enumerate(wave.samples))).encode()


def test_the_worker_keeps_results_refusals_and_samples(sessions: Sessions, tmp_path: Path) -> None:
    good = put(sessions, table())
    bad = put(sessions, b"dear diary\nnothing\nhappened\n")
    cache = SampleCache(tmp_path)
    work(sessions, cache)
    with sessions() as db:
        capture = db.get_one(Capture, good)
        assert capture.state == "analysed"
        refused = db.get_one(Capture, bad)
        assert (refused.state, refused.reads) == ("unreadable", READS)
        assert "rows of numbers were expected" in refused.refusal
        key = cache_key(db, capture, False)
    assert got(sessions, bad) == b"dear diary\nnothing\nhappened\n"

    def never() -> None:
        raise AssertionError("the samples are kept")

    kept, summary = cache.channel(key, 0, never)
    assert len(kept.samples) == len(table().splitlines()) - 1
    assert summary.high.max() == pytest.approx(12, abs=0.01)
    # Another version of the readers decodes anew: its samples have a name of their own.
    assert f"r{READS}m{MEASURES}" in key


def test_a_judgement_is_kept_names_what_it_was_made_of_and_follows_every_change(
    sessions: Sessions, tmp_path: Path
) -> None:
    number, cache = put(sessions, table()), SampleCache(tmp_path)
    work(sessions, cache)

    def newest() -> tuple[StoredJudgement, dict[str, Any]]:
        with sessions() as db:
            session = db.get_one(Capture, number).session
            assert not waits(session)
            stored = session.judgement
            assert stored is not None
            assert judged_of(stored) is not None
            return stored, json.loads(stored.made_of)

    first, made_of = newest()
    assert (first.judges, first.format) == (JUDGES, JUDGED_FORMAT)
    assert made_of["captures"][0] | {"measurement": 0} == {
        "capture": number, "sha256": hashlib.sha256(table()).hexdigest(), "measurement": 0, "measures": MEASURES,
        "settlement": None, "placement": None,
    }  # fmt: skip
    assert made_of["observations"] == []
    with sessions.begin() as db:
        session = db.get_one(Capture, number).session
        db.add(Observation(session_id=session.id, kind="breaker_trips", at_s=0.1, by_name="Ada"))
        ask(session)
    work(sessions, cache)
    second, made_of = newest()
    assert len(made_of["observations"]) == 1
    assert "protective device" in second.verdict
    with sessions.begin() as db:
        settlement = add_settlement(db, db.get_one(Capture, number), Settled(scale=1), None, "Ada", "a 1:1 probe")
        db.flush()
        chosen = settlement.id
    work(sessions, cache)
    assert newest()[1]["captures"][0]["settlement"] == chosen
    with sessions.begin() as db:
        ask_outdated(db, JUDGES)
        assert not waits(db.get_one(Capture, number).session)
        ask_outdated(db, JUDGES + 1)
    with sessions() as db:
        assert waits(db.get_one(Capture, number).session)


def test_what_is_asked_while_a_session_is_judged_is_judged_again(sessions: Sessions, tmp_path: Path) -> None:
    number = put(sessions, table())
    work(sessions, SampleCache(tmp_path))
    with sessions.begin() as db:
        ask(db.get_one(Capture, number).session)
    with sessions.begin() as db:
        claim = claim_session(db, "slow")
    assert claim is not None
    with sessions.begin() as db:
        assert claim_session(db, "other") is None
        ask(db.get_one(Capture, number).session)
    with sessions.begin() as db:
        keep_refusal(db, claim, "of before", JUDGES, {})
    with sessions.begin() as db:
        assert waits(db.get_one(Capture, number).session)
        assert claim_session(db, "other") is not None
        release_judges(db, "other")
        assert claim_session(db, "third") is not None


def test_a_second_worker_leaves_what_the_first_holds_and_a_new_start_takes_it_back(
    mariadb: PrivateMariaDB, sessions: Sessions
) -> None:
    number = put(sessions, b"x")
    engine = engine_for(mariadb.url)
    with engine.connect() as one, engine.connect() as two:
        first, second = own_name(one, "harbour"), own_name(two, "harbour")
        assert (first, second) == ("harbour-1", "harbour-2")
        with sessions.begin() as db:
            assert claim_next(db, first) is not None
        with sessions.begin() as db:
            release_claims(db, second)
            assert db.get_one(Capture, number).state == "analysing"
    engine.dispose()
    again = engine_for(mariadb.url)
    with again.connect() as three:
        name = own_name(three, "harbour")
        assert name == first
        with sessions.begin() as db:
            release_claims(db, name)
        with sessions() as db:
            assert db.get_one(Capture, number).state == "received"
    again.dispose()


def test_the_schema_is_what_the_models_say(mariadb: PrivateMariaDB, sessions: Sessions) -> None:
    engine = engine_for(mariadb.url)
    with engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []
    engine.dispose()


def test_migrations_run_down_to_nothing_and_up_again(mariadb: PrivateMariaDB, sessions: Sessions) -> None:
    config = migration_config(mariadb.url)
    command.downgrade(config, "base")
    command.upgrade(config, "head")
    assert put(sessions, b"x")


def test_a_store_of_the_release_before_comes_along_with_all_it_holds(
    mariadb: PrivateMariaDB, sessions: Sessions
) -> None:
    config = migration_config(mariadb.url)
    command.downgrade(config, "0001")
    engine = engine_for(mariadb.url)
    old = (
        "INSERT INTO cases (title, complaint, vehicle, post, waits_for, state, created_at) "
        "VALUES ('Old', 'since spring', '', '', '', 'open', '2026-01-02 03:04:05')"
    )
    with engine.begin() as connection:
        connection.execute(text(old))
    command.upgrade(config, "head")
    engine.dispose()
    with sessions() as db:
        case = db.scalars(select(Case)).one()
        assert (case.title, case.complaint, case.modes, list(case.observations)) == ("Old", "since spring", "", [])
    number = put(sessions, b"x")
    assert got(sessions, number) == b"x"


@pytest.mark.parametrize("damage", [b"", b"no zlib", zlib.compress(b"{"), zlib.compress(b"\xff\xfe")])
def test_a_damaged_result_is_made_anew_and_takes_nothing_down(
    sessions: Sessions, tmp_path: Path, damage: bytes
) -> None:
    number, cache = put(sessions, table()), SampleCache(tmp_path)
    work(sessions, cache)
    with sessions.begin() as db:
        capture = db.get_one(Capture, number)
        stored = capture.measurements[0]
        # Another number: what was parsed once stays in memory by it.
        stored.id, stored.result = stored.id + 10_000, damage
        ask(capture.session)
    work(sessions, cache)
    with sessions() as db:
        capture = db.get_one(Capture, number)
        assert capture.state == "analysed"
        assert measured_of(capture.measurements[-1]).channels
        assert capture.session.judgement is not None
        assert judged_of(capture.session.judgement) is not None


@pytest.mark.parametrize("name", ["0.npy", "0.summary.npy", "about.json"])
@pytest.mark.parametrize("content", [None, b"", b"\x93NUMPY garbage"])
def test_a_damaged_cache_is_made_anew(sessions: Sessions, tmp_path: Path, name: str, content: bytes | None) -> None:
    number, cache = put(sessions, table()), SampleCache(tmp_path)
    work(sessions, cache)
    with sessions() as db:
        capture = db.get_one(Capture, number)
        key = cache_key(db, capture, False)

    def fill() -> None:
        keep_samples_again(sessions, capture, cache.folder)

    before = cache.channel(key, 0, fill)[0].samples[:].copy()
    path = tmp_path / key / name
    path.unlink() if content is None else path.write_bytes(content)
    np.testing.assert_array_equal(cache.channel(key, 0, fill)[0].samples, before)
    shutil.rmtree(tmp_path / key)
    np.testing.assert_array_equal(cache.channel(key, 0, fill)[0].samples, before)
    with pytest.raises(IndexError):
        cache.channel(key, 9, fill)
