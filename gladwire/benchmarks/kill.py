"""`./glad bench kill`: web, workers and database killed at random, also during a first start; and what is left in the end.

Files are dropped all the while. In the end every upload that was answered must be there byte for byte, nothing half stored,
no capture stuck in the middle, and no file left over.
"""

from __future__ import annotations

import argparse
import hashlib
import os
import random
import shutil
import sys
import threading
import time
import urllib.error
import urllib.request
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

from sqlalchemy import create_engine, text

from gladwire.benchmarks.application import Application
from gladwire.store.mariadb import PrivateMariaDB

_PORT = 8392
_ADDRESS = f"http://localhost:{_PORT}"


class _Dropper(threading.Thread):
    """Drops small captures one after the other, each of its own content, and keeps what was answered."""

    def __init__(self) -> None:
        super().__init__(daemon=True)
        self.ended = threading.Event()
        self.answered: dict[str, str] = {}
        self.tried = 0

    def run(self) -> None:
        while not self.ended.is_set():
            self.tried += 1
            level, count = 9.0 + (self.tried % 997) / 1e4, random.choice((800, 40_000))
            rows = "".join(f"{n / 1e4:.4f},{level:.4f}\n" for n in range(count))
            content = f"t,CP\n{rows}".encode()
            head = f'--cut\r\nContent-Disposition: form-data; name="files"; filename="{self.tried}.csv"\r\n\r\n'
            body = head.encode() + content + b"\r\n--cut--\r\n"
            headers = {"Content-Type": "multipart/form-data; boundary=cut", "Origin": _ADDRESS}
            request = urllib.request.Request(f"{_ADDRESS}/captures", body, headers)
            try:
                with _opener.open(request, timeout=20) as answer:
                    place = answer.headers.get("location", "")
            except urllib.error.HTTPError as error:
                place = error.headers.get("location", "") if error.code == 303 else ""
            except OSError:
                place = ""
            if place:
                self.answered[place] = hashlib.sha256(content).hexdigest()
            else:
                time.sleep(0.2)


class _StayHere(urllib.request.HTTPRedirectHandler):
    def redirect_request(self, *_: object) -> None:
        """The answer itself says where it was stored; the page need not be asked for."""


_opener = urllib.request.build_opener(_StayHere)


def measure(folder: Path, rounds: int, seed: int) -> list[tuple[str, int]]:
    """What was done, what was answered, and what is left."""
    random.seed(seed)
    home = folder / "kill"
    shutil.rmtree(home, ignore_errors=True)
    application, kills = Application(home, _PORT), Counter[str]()
    for _ in range(max(1, rounds // 20)):
        # First starts, cut off anywhere.
        shutil.rmtree(home, ignore_errors=True)
        application.start()
        time.sleep(random.uniform(0.3, 6.0))
        kills["first start"] += application.kill("web")
    application.wait_until_it_answers()
    dropper = _Dropper()
    dropper.start()
    for _ in range(rounds):
        time.sleep(random.uniform(0.5, 6.0))
        what = random.choices(("web", "worker", "database"), (2, 5, 3))[0]
        kills[what] += application.kill(what)
        if not application.runs:
            application.start()
            if random.random() < 0.3:
                time.sleep(random.uniform(0.0, 4.0))
                kills["web while it starts"] += application.kill("web")
            application.wait_until_it_answers()
        print(
            f"\r{sum(kills.values())} kills, {len(dropper.answered)} uploads answered",
            end="",
            file=sys.stderr,
            flush=True,
        )
    application.wait_until_it_answers()
    dropper.ended.set()
    dropper.join()
    application.wait_until_done()
    left = len(application.numbers("worker")) - min(4, os.cpu_count() or 1)
    problems = [("server processes left after", left)]
    application.stop()
    rows = [(f"kills of {what}", count) for what, count in sorted(kills.items())]
    rows += [("uploads tried", dropper.tried), ("uploads answered", len(dropper.answered))]
    return [*rows, *problems, *wrong(home, dropper.answered)]


def wrong(home: Path, answered: dict[str, str]) -> list[tuple[str, int]]:
    """What is not as it should be, counted; a start of the database alone tells."""
    with PrivateMariaDB(home) as database:
        engine = create_engine(database.url)
        with engine.connect() as connection:
            rows = connection.execute(text("SELECT session_id, sha256, size, id, state FROM captures")).all()
            kept = {f"/sessions/{row.session_id}": row.sha256 for row in rows}
            chunks = set(connection.scalars(text("SELECT DISTINCT capture_id FROM capture_chunks")))
            waits = connection.scalar(text("SELECT COUNT(*) FROM charging_sessions WHERE asked > judged"))
        engine.dispose()
    lost = sum(kept.get(place) != digest for place, digest in answered.items())
    return [
        ("answered uploads that are not there byte for byte", lost),
        ("captures half stored", sum(row.id not in chunks or row.size == 0 for row in rows)),
        ("captures without a result", sum(row.state != "analysed" for row in rows)),
        ("sessions without a judgement", int(waits or 0)),
        ("temporary files left", len(list((home / "tmp").glob("*"))) if (home / "tmp").exists() else 0),
        ("half-made samples left", len(list((home / "samples").glob("new-*")))),
    ]


def main(arguments: Sequence[str]) -> None:
    parser = argparse.ArgumentParser(prog="glad bench kill")
    parser.add_argument("--rounds", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    wanted = parser.parse_args(arguments)
    folder = Path("var/bench").resolve()
    folder.mkdir(parents=True, exist_ok=True)
    rows = measure(folder, wanted.rounds, wanted.seed)
    print("\n\n| | |\n|---|---|\n" + "\n".join(f"| {what} | {count} |" for what, count in rows))
