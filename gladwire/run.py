"""Start everything a running application needs, in order, and stop it again: lock, MariaDB, schema, worker, server."""

from __future__ import annotations

import errno
import os
import shutil
import signal
import socket
import ssl
import subprocess
import sys
import tempfile
import threading
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Protocol

import uvicorn

from gladwire.store.database import SchemaError, engine_for, migrate
from gladwire.store.home import HomeInUseError, only_one
from gladwire.store.mariadb import DatabaseError, PrivateMariaDB
from gladwire.web.app import create_app
from gladwire.work.bounded import MOST_AT_ONCE
from gladwire.work.listing import listing_sessions
from gladwire.work.worker import PARENT, worker_command

_NEEDED_MB = 300
_RESTART_AFTER_S = 2.0


class StartError(Exception):
    """Why the application cannot start, and what to do."""


def run(
    command: str, host: str, port: int, home: Path, certificate: Path | None = None, key: Path | None = None
) -> int:
    """Run `serve` or `demo` until stopped; returns the exit code. Data lives under `home` and lasts. certificate, key: PEM
    files to answer encrypted with."""
    signal.signal(signal.SIGTERM, _leave)
    try:
        with ExitStack() as stack:
            _start(stack, command, host, port, home, certificate, key)
    except KeyboardInterrupt:
        return 0
    except (StartError, DatabaseError, SchemaError) as error:
        print(f"glad {command}: {error}", file=sys.stderr)
        return 3
    return 0


def _leave(*_: object) -> None:
    """A polite request to end takes the same way out as Ctrl+C: everything that was started is stopped."""
    raise KeyboardInterrupt


def _start(
    stack: ExitStack, command: str, host: str, port: int, home: Path, certificate: Path | None, key: Path | None
) -> None:
    if certificate:
        try:
            ssl.create_default_context(ssl.Purpose.CLIENT_AUTH).load_cert_chain(certificate, key)
        except (ssl.SSLError, OSError) as error:
            raise StartError(f"certificate and key cannot be used: {error}") from error
    address = f"http{'s' if certificate else ''}://{'localhost' if host == '127.0.0.1' else host}:{port}/"
    try:
        stack.enter_context(only_one(home, f"process {os.getpid()} at {address}"))
    except HomeInUseError as other:
        raise StartError(f"another instance is running already: {other}") from None
    _check_space(home)
    _check_port(host, port)
    stack.enter_context(_own_temporary(home))
    database = stack.enter_context(PrivateMariaDB(home))
    migrate(database.url)
    cache = home / "samples"
    for left in cache.glob("new-*"):  # half made when an earlier instance was killed
        shutil.rmtree(left, ignore_errors=True)
    stack.enter_context(_kept_alive(_Database(database)))
    for _ in range(min(MOST_AT_ONCE, os.cpu_count() or 1)):
        stack.enter_context(_kept_alive(_Worker(database.url, cache)))
    if command == "demo":
        from gladwire.demo import fill  # only here: serve never sees demo data

        engine = engine_for(database.url)
        fill(listing_sessions(engine))
        engine.dispose()
    app = create_app(database.url, cache, demo=command == "demo", hosts=(host,))
    tls = {"ssl_certfile": certificate, "ssl_keyfile": key} if certificate else {}
    server = uvicorn.Server(
        uvicorn.Config(app, host=host, port=port, log_level="warning", timeout_graceful_shutdown=5, **tls)  # type: ignore[arg-type]
    )
    print(f"Glad Wire is running at {address}  (stop it with Ctrl+C)", flush=True)
    server.run()


def _check_space(home: Path) -> None:
    free_mb = shutil.disk_usage(home).free // 2**20
    if free_mb < _NEEDED_MB:
        raise StartError(f"only {free_mb} MB free on the disk of {home}; at least {_NEEDED_MB} MB are needed")


def _check_port(host: str, port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            if error.errno == errno.EADDRINUSE:
                raise StartError(f"port {port} is taken by another program; choose one with --port") from None
            raise StartError(f"cannot listen on {host}:{port}: {error.strerror}") from None


@contextmanager
def _own_temporary(home: Path) -> Iterator[None]:
    """A private folder for everything temporary, of this process and those it starts: cleared before, so that nothing of a
    killed instance stays, and after."""
    place = home / "tmp"
    shutil.rmtree(place, ignore_errors=True)
    place.mkdir(mode=0o700)
    before = os.environ.get("TMPDIR")
    os.environ["TMPDIR"], tempfile.tempdir = str(place), None
    try:
        yield
    finally:
        shutil.rmtree(place, ignore_errors=True)
        os.environ.pop("TMPDIR")
        if before is not None:
            os.environ["TMPDIR"] = before
        tempfile.tempdir = None


class _Watched(Protocol):
    """Something that is to run as long as the application does."""

    def start(self) -> None: ...

    @property
    def runs(self) -> bool: ...

    def stop(self) -> None: ...


class _Worker:
    """One worker. What it held when it ended is given back when it starts again."""

    def __init__(self, url: str, cache: Path) -> None:
        self._command = worker_command(cache)
        self._environment = {**os.environ, "GLADWIRE_DATABASE": url, PARENT: str(os.getpid())}
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        self._process = subprocess.Popen(self._command, env=self._environment, start_new_session=True)

    @property
    def runs(self) -> bool:
        return self._process is not None and self._process.poll() is None

    def stop(self) -> None:
        if self._process is None:
            return
        self._process.terminate()
        try:
            self._process.wait(20)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()


class _Database:
    """The database, started before anything else and stopped after; here it is only brought back."""

    def __init__(self, server: PrivateMariaDB) -> None:
        self._server = server

    def start(self) -> None:
        if not self._server.runs:
            print("The database ended by itself; it is brought back.", file=sys.stderr, flush=True)
            self._server.bring_back()

    @property
    def runs(self) -> bool:
        return self._server.runs

    def stop(self) -> None:
        """Left to who started it."""


@contextmanager
def _kept_alive(watched: _Watched) -> Iterator[None]:
    """Start it, and again whenever it ended by itself, until the application ends."""
    ended = threading.Event()
    watched.start()

    def keep_alive() -> None:
        while not ended.wait(0.2):
            if watched.runs or ended.wait(_RESTART_AFTER_S):
                continue
            try:
                watched.start()
            except (OSError, DatabaseError) as error:
                print(f"{error}; tried again", file=sys.stderr, flush=True)

    # setpriv's parent-death signal follows the thread that started a process: this one lives as long as the server.
    watcher = threading.Thread(target=keep_alive, daemon=True)
    watcher.start()
    try:
        yield
    finally:
        ended.set()
        watcher.join()
        watched.stop()
