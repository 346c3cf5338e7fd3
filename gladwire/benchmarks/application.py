"""The application as a process of its own, started, watched, killed and asked from outside by benches."""

from __future__ import annotations

import contextlib
import os
import random
import signal
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

from sqlalchemy import create_engine, text

from gladwire.store.mariadb import PrivateMariaDB

_STARTS_WITHIN_S = 90.0
_LEFT_TO_DO = """SELECT (SELECT COUNT(*) FROM captures WHERE state IN ('received', 'analysing'))
    + (SELECT COUNT(*) FROM charging_sessions WHERE asked > judged)"""


class Application:
    """The application in a process of its own, on a folder that lasts from start to start."""

    def __init__(self, home: Path, port: int, **environment: str) -> None:
        self.home, self.port, self.address = home, port, f"http://localhost:{port}"
        self._environment = {**os.environ, **environment}
        self.log = home.with_suffix(".log")
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        command = [sys.executable, "-m", "gladwire.cli", "serve", "--home", str(self.home), "--port", str(self.port)]
        self.log.parent.mkdir(parents=True, exist_ok=True)
        with self.log.open("ab") as log:
            self.process = subprocess.Popen(
                command, stdout=log, stderr=log, env=self._environment, start_new_session=True
            )

    @property
    def runs(self) -> bool:
        return self.process is not None and self.process.poll() is None

    def answers(self) -> bool:
        with contextlib.suppress(OSError, ValueError), urllib.request.urlopen(self.address, timeout=5) as answer:
            return bool(answer.status == 200)
        return False

    def wait_until_it_answers(self) -> None:
        end = time.monotonic() + _STARTS_WITHIN_S
        while time.monotonic() < end:
            if not self.runs:
                self.start()
            if self.answers():
                return
            time.sleep(0.2)
        raise RuntimeError(f"it did not start again within {_STARTS_WITHIN_S:.0f} s; see {self.log}")

    def wait_until_done(self, within_s: float = 600.0) -> int:
        """Wait until nothing is left to measure or judge; how much still is after that time."""
        database = PrivateMariaDB(self.home)
        database.attach()
        engine = create_engine(database.url)
        end, left = time.monotonic() + within_s, 1
        while left and time.monotonic() < end:
            time.sleep(0.5)
            with engine.connect() as connection:
                left = connection.scalar(text(_LEFT_TO_DO)) or 0
        engine.dispose()
        return left

    def numbers(self, what: str) -> list[int]:
        """Processes of this folder: "web", "worker" or "database"."""
        marks = {"web": ("gladwire.cli", f"{self.home}"), "worker": ("gladwire.work.worker", f"{self.home}"),
                 "database": ("mariadbd", f"--datadir={self.home}")}[what]  # fmt: skip
        found = []
        for place in Path("/proc").glob("[0-9]*"):
            with contextlib.suppress(OSError):
                line = (place / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
                if all(mark in line for mark in marks):
                    found.append(int(place.name))
        return found

    def memory_mib(self) -> dict[str, float]:
        """Memory of their own that processes hold: of the web process and each worker with what it forked off, and of the
        database, the largest of a kind."""
        number = self.process.pid if self.process else 0
        held: dict[str, float] = {}
        for place in Path("/proc").glob("[0-9]*"):
            with contextlib.suppress(OSError, ValueError, IndexError, StopIteration):
                line = (place / "cmdline").read_bytes()
                kind = "database" if b"mariadbd" in line and str(self.home).encode() in line else ""
                kind = kind or ("web process" if int(place.name) == number else "")
                kind = kind or ("analyses" if b"multiprocessing.forkserver" in line else "")
                if kind:
                    status = (place / "status").read_text().splitlines()
                    own = next(row for row in status if row.startswith("RssAnon:"))
                    held[kind] = max(held.get(kind, 0.0), int(own.split()[1]) / 1024.0)
        return held

    def kill(self, what: str) -> bool:
        numbers = self.numbers(what)
        if not numbers:
            return False
        with contextlib.suppress(OSError):
            os.kill(random.choice(numbers), signal.SIGKILL)
        if what == "web" and self.process is not None:
            self.process.wait()
        return True

    def stop(self) -> None:
        if self.process is not None and self.runs:
            self.process.terminate()
            self.process.wait(60)
