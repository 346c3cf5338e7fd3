"""Start everything a running application needs, in order, and stop it again: lock, MariaDB, schema, worker, server."""

from __future__ import annotations

import errno
import fcntl
import os
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path

import uvicorn

from gladwire.store.database import SchemaError, engine_for, migrate, sessions_of
from gladwire.store.mariadb import DatabaseError, PrivateMariaDB
from gladwire.web.app import create_app
from gladwire.work.worker import worker_command

_NEEDED_MB = 300
_RESTART_AFTER_S = 2.0


class StartError(Exception):
    """Why the application cannot start, and what to do."""


def run(command: str, host: str, port: int, home: Path) -> int:
    """Run `serve` or `demo` until stopped; returns the exit code. Data lives under `home` and lasts."""
    signal.signal(signal.SIGTERM, _leave)
    try:
        with ExitStack() as stack:
            _start(stack, command, host, port, home)
    except KeyboardInterrupt:
        return 0
    except (StartError, DatabaseError, SchemaError) as error:
        print(f"glad {command}: {error}", file=sys.stderr)
        return 3
    return 0


def _leave(*_: object) -> None:
    """A polite request to end takes the same way out as Ctrl+C: everything that was started is stopped."""
    raise KeyboardInterrupt


def _start(stack: ExitStack, command: str, host: str, port: int, home: Path) -> None:
    address = f"http://{'localhost' if host == '127.0.0.1' else host}:{port}/"
    home.mkdir(parents=True, exist_ok=True)
    stack.enter_context(_only_one(home, address))
    _check_space(home)
    _check_port(host, port)
    database = stack.enter_context(PrivateMariaDB(home))
    migrate(database.url)
    cache = home / "samples"
    stack.enter_context(_worker(database.url, cache))
    if command == "demo":
        from gladwire.demo import fill  # only here: serve never sees demo data

        engine = engine_for(database.url)
        fill(sessions_of(engine))
        engine.dispose()
    app = create_app(database.url, cache, demo=command == "demo")
    server = uvicorn.Server(uvicorn.Config(app, host=host, port=port, log_level="warning", timeout_graceful_shutdown=5))
    print(f"Glad Wire is running at {address}  (stop it with Ctrl+C)", flush=True)
    server.run()


@contextmanager
def _only_one(home: Path, address: str) -> Iterator[None]:
    """One instance per data folder: two servers on one data directory would harm it."""
    path = home / "lock"
    with path.open("a+") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            file.seek(0)
            raise StartError(f"another instance is running already: {file.read().strip()}") from None
        file.truncate(0)
        file.write(f"process {os.getpid()} at {address}")
        file.flush()
        yield


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
def _worker(url: str, cache: Path) -> Iterator[None]:
    """Keep one worker alive; a capture that kills it is tried once more and then refused."""
    ended = threading.Event()
    environment = {**os.environ, "GLADWIRE_DATABASE": url}
    first = subprocess.Popen(worker_command(cache), env=environment, start_new_session=True)
    running = [first]

    def keep_alive() -> None:
        while not ended.is_set():
            if running[0].poll() is not None and not ended.wait(_RESTART_AFTER_S):
                running[0] = subprocess.Popen(worker_command(cache), env=environment, start_new_session=True)
            time.sleep(0.2)

    # setpriv's parent-death signal follows the thread that started the worker: this one lives as long as the server.
    watcher = threading.Thread(target=keep_alive, daemon=True)
    watcher.start()
    try:
        yield
    finally:
        ended.set()
        watcher.join()
        running[0].terminate()
        running[0].wait(20)
