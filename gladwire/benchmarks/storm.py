"""`./glad bench storm`: damaged files, odd requests, kills and a full disk against the running application, for some minutes.

What is told in the end must be nought wherever something broke, was lost or got stuck; the rest says how much was tried.
"""

from __future__ import annotations

import argparse
import contextlib
import hashlib
import random
import shutil
import subprocess
import sys
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any

import httpx2

from gladwire.benchmarks import kill
from gladwire.benchmarks.application import Application
from gladwire.benchmarks.hostile import HEAVY, HOSTILE, damaged
from gladwire.benchmarks.odd import ask_oddly, operations
from gladwire.scenarios import bus

_PORT = 8394
# What one analysis may take here: less than by default, so that a bound is met on any machine.
_ANALYSIS_MB = 2048
_DISK_MB = 1400
_WORDY_CASES, _WORDS = 600, 4000
_PAGES = ("/", "/cases", "/equipment", "/curves", "/buses", "/expect", "/bench", "/limits")
_TABLE = "| | |\n|---|---|\n"


class _Watch(threading.Thread):
    """The most memory any process of the application held, in MiB, by kind; looked at ten times a second."""

    def __init__(self, application: Application) -> None:
        super().__init__(daemon=True)
        self._application, self._ended = application, threading.Event()
        self.most: dict[str, float] = {}

    def run(self) -> None:
        while not self._ended.wait(0.1):
            for kind, memory in self._application.memory_mib().items():
                self.most[kind] = max(self.most.get(kind, 0.0), memory)

    def end(self) -> dict[str, float]:
        self._ended.set()
        self.join()
        return self.most


def _client(application: Application) -> httpx2.Client:
    headers = {"origin": application.address, "accept": "text/html"}
    return httpx2.Client(base_url=application.address, headers=headers, timeout=60.0, follow_redirects=False)


def _drop(client: httpx2.Client, name: str, content: bytes) -> tuple[int, str]:
    """(status, address of the session)."""
    answer = client.post("/captures", files={"files": (name, content)})
    return answer.status_code, answer.headers.get("location", "")


def files(folder: Path, seconds: float, seed: int) -> list[tuple[str, Any]]:
    """Drop what is made to break readers, and the demo's files damaged at random; ask for all that shows them."""
    rng, counts = random.Random(seed), Counter[str]()
    with (
        _running(folder / "files", GLADWIRE_ANALYSIS_MB=str(_ANALYSIS_MB)) as application,
        _client(application) as client,
    ):
        watch = _Watch(application)
        watch.start()
        end, places = time.monotonic() + seconds, []
        made: Iterator[tuple[str, Callable[[], bytes]]] = iter((*HEAVY.items(), *HOSTILE.items()))
        more = damaged(rng)
        while time.monotonic() < end:
            name, maker = next(made, ("", None))
            name, content = (name, maker()) if maker else next(more)
            status, place = _drop(client, name, content)
            counts["files dropped"] += 1
            counts["of these refused at once"] += status == 422
            counts["answers 5xx"] += status >= 500
            if place.startswith("/sessions/"):
                places.append(place)
                counts["answers 5xx"] += client.get(place).status_code >= 500
            counts["answers 5xx"] += client.get("/").status_code >= 500
            _say(counts)
        counts["captures still without a result after ten minutes more"] = application.wait_until_done()
        for place in dict.fromkeys((*_PAGES, *places)):
            shown = client.get(place)
            counts["pages shown"] += 1
            counts["answers 5xx"] += shown.status_code >= 500
            counts["sessions that hold a refusal"] += "could not be read" in shown.text
        memory = watch.end()
    rows = list(counts.items())
    return [*rows, *((f"most memory of the {kind}, MiB", round(most)) for kind, most in sorted(memory.items()))]


def requests(folder: Path, seconds: float, seed: int) -> list[tuple[str, Any]]:
    """Odd requests of every route, over a store that holds something of every kind."""
    statuses, broken = Counter[int](), Counter[str]()
    with _running(folder / "requests") as application, _client(application) as client:
        for name, content in (("bus.dbc", bus.dbc()), *_small_files()):
            _drop(client, name, content)
        client.post("/cases", data={"title": "odd", "complaint": "everything"})
        client.post("/equipment", data={"kind": "stall", "name": "A/B", "site": "Quay/1", "by_name": "Runa"})

        def ask(method: str, path: str, kept: dict[str, Any]) -> None:
            try:
                answer = client.request(method, path, **kept)
            except (httpx2.InvalidURL, UnicodeError):  # no client sends it
                return
            statuses[answer.status_code] += 1
            if answer.status_code >= 500:
                broken[f"{method} {path}"] += 1
            _say(statuses)

        end, turn = time.monotonic() + seconds, seed
        while time.monotonic() < end:
            for operation in operations():
                if time.monotonic() < end:
                    ask_oddly(operation, [str(n) for n in range(1, 12)], 10, ask, turn)
            turn += 1
    rows: list[tuple[str, Any]] = [("odd requests answered", sum(statuses.values()))]
    rows += [(f"of these {status}", count) for status, count in sorted(statuses.items())]
    return [*rows, ("requests that broke something", ", ".join(broken) or 0)]


def kills(folder: Path, seconds: float, seed: int) -> list[tuple[str, Any]]:
    """As `./glad bench kill`, as many rounds as fit."""
    return kill.measure(folder, max(int(seconds / 6.0), 3), seed)


def full_disk(folder: Path, seconds: float, seed: int) -> list[tuple[str, Any]]:
    """The disk fills up while captures are dropped, stays full, and is given room again. On a small file system of its own,
    in a name space of its own that ends with it."""
    place = folder / "small"
    place.mkdir(parents=True, exist_ok=True)
    inside = [
        sys.executable,
        "-m",
        "gladwire.benchmarks",
        "storm",
        "--part",
        "inside",
        "--minutes",
        str(seconds / 60.0),
    ]
    mount = f'mount -t tmpfs -o size={_DISK_MB}m storm "$0" && exec "$@"'
    space = ["unshare", "--map-root-user", "--mount", "sh", "-c", mount, str(place)]
    done = subprocess.run([*space, *inside], stdout=subprocess.PIPE, text=True, check=False)
    if done.returncode:
        return [("a full disk", "not tried: this machine lets nobody mount a file system of their own")]
    rows = [line.strip("| ").split(" | ") for line in done.stdout.splitlines()]
    return [(row[0], row[1]) for row in rows if len(row) == 2]


class _Disk:
    """What is tried on a small file system, and what came of it."""

    def __init__(self, application: Application, client: httpx2.Client, filler: Path) -> None:
        self._application, self._client, self._filler = application, client, filler
        self.counts, self.kept, self._number, self._state = Counter[str](), dict[str, str](), 0, "free"

    def drop(self) -> bool:
        self._number += 1
        rows = "".join(f"{n / 1e4:.4f},{9 + self._number / 1e4:.4f}\n" for n in range(4000))
        content = f"t,CP\n{rows}".encode()
        status, where = _drop(self._client, f"{self._number}.csv", content)
        self.counts[f"uploads answered {status}, disk {self._state}"] += 1
        if status == 303:
            self.kept[where] = hashlib.sha256(content).hexdigest()
        return status == 303

    def fill(self, state: str, left: int) -> None:
        self._state = state
        _fill(self._filler, left)
        self.counts["times Today said so before"] += "left on the disk" in self._client.get("/").text
        for _ in range(4):
            self.drop()
        for number in range(_WORDY_CASES):
            # Written where no check of the room stands before, until the tables have to grow.
            words = random.Random(number).randbytes(_WORDS // 2).hex()
            written = self._client.post(
                "/cases", data={"title": f"case {self._number}", "complaint": words}
            ).status_code
            self.counts[f"long cases answered {written}, disk {state}"] += 1
        self._look()

    def make_room(self) -> None:
        self._filler.unlink()
        self._state, since = "given room again", time.monotonic()
        while not self.drop():
            if time.monotonic() - since > 120.0:
                self.counts["times it did not recover within two minutes"] += 1
                break
            time.sleep(1.0)
        self._look()
        self._state = "free"

    def _look(self) -> None:
        for page in _PAGES:
            self.counts["pages that broke"] += self._client.get(page).status_code == 500


def _inside(folder: Path, seconds: float, seed: int) -> list[tuple[str, Any]]:
    place = folder / "small"
    end = time.monotonic() + seconds
    with _running(place / "home") as application, _client(application) as client:
        disk = _Disk(application, client, place / "filler")
        while time.monotonic() < end:
            for _ in range(4):
                disk.drop()
            disk.fill("nearly full", 100 * 2**20)
            disk.fill("full", 0)
            disk.make_room()
            _say(disk.counts)
        application.wait_until_done()
    lost = kill.wrong(place / "home", disk.kept)
    return [*sorted(disk.counts.items()), ("uploads answered with their session", len(disk.kept)), *lost]


def _fill(filler: Path, left: int) -> None:
    """Take all room of the file system but so much."""
    with filler.open("ab") as file, contextlib.suppress(OSError):
        while (free := shutil.disk_usage(filler.parent).free) > left:
            file.write(bytes(min(free - left, 2**22)))
            file.flush()


@contextlib.contextmanager
def _running(home: Path, **environment: str) -> Iterator[Application]:
    shutil.rmtree(home, ignore_errors=True)
    home.parent.mkdir(parents=True, exist_ok=True)
    application = Application(home, _PORT, **environment)
    application.wait_until_it_answers()
    try:
        yield application
    finally:
        application.stop()


def _small_files() -> Iterator[tuple[str, bytes]]:
    more = damaged(random.Random(1))
    yield from (next(more) for _ in range(12))


def _say(counts: Counter[Any]) -> None:
    print(f"\r{dict(counts)}", end="", file=sys.stderr, flush=True)


_PARTS: dict[str, Callable[[Path, float, int], list[tuple[str, Any]]]] = {
    "files": files,
    "requests": requests,
    "kills": kills,
    "disk": full_disk,
}


def main(arguments: Sequence[str]) -> None:
    parser = argparse.ArgumentParser(prog="glad bench storm")
    parser.add_argument("--minutes", type=float, default=20.0, help="all parts together; each gets its share")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--part", choices=(*_PARTS, "inside"))
    wanted = parser.parse_args(arguments)
    folder = Path("var/bench").resolve()
    folder.mkdir(parents=True, exist_ok=True)
    chosen = (
        {"inside": _inside}
        if wanted.part == "inside"
        else {wanted.part: _PARTS[wanted.part]}
        if wanted.part
        else _PARTS
    )
    for name, part in chosen.items():
        rows = part(folder, 60.0 * wanted.minutes / len(chosen), wanted.seed)
        body = "".join(f"| {what} | {count} |\n" for what, count in rows)
        print(body if wanted.part == "inside" else f"\n\n### {name}\n\n{_TABLE}{body}", flush=True)


if __name__ == "__main__":
    main(sys.argv[1:])
