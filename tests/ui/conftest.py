"""The real application, started as a person starts it, and Debian's Chromium in front of it."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from tests.conftest import VAR

CHROMIUM = "/usr/bin/chromium"
_FLAGS = ["--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"]


class Server:
    """`glad serve` with its own data folder; can be stopped, killed and started again on the same data."""

    def __init__(self, home: Path) -> None:
        self.home = home
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = int(probe.getsockname()[1])
        self.address = f"http://localhost:{self.port}"
        self.process: subprocess.Popen[str] | None = None

    def command(self, port: int | None = None) -> list[str]:
        return [
            sys.executable,
            "-m",
            "gladwire.cli",
            "serve",
            "--home",
            str(self.home),
            "--port",
            str(port or self.port),
        ]

    def start(self) -> None:
        self.process = subprocess.Popen(self.command(), stdout=subprocess.PIPE, text=True)
        assert self.process.stdout is not None
        line = self.process.stdout.readline()
        assert self.address in line, line
        end = time.monotonic() + 90
        while time.monotonic() < end:
            try:
                urllib.request.urlopen(self.address, timeout=5).close()
                return
            except (urllib.error.URLError, ConnectionError):
                time.sleep(0.1)
        raise AssertionError("the server does not answer")

    def end(self, how: signal.Signals = signal.SIGTERM) -> None:
        if self.process is not None:
            os.kill(self.process.pid, how)
            self.process.wait(40)
            assert self.process.stdout is not None
            self.process.stdout.close()
            self.process = None


@pytest.fixture(scope="session")
def server() -> Iterator[Server]:
    home = VAR / "test-ui"
    shutil.rmtree(home, ignore_errors=True)
    running = Server(home)
    running.start()
    yield running
    running.end()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    flags = [*_FLAGS, "--no-sandbox"] if os.geteuid() == 0 else _FLAGS
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path=CHROMIUM, args=flags)
        yield chromium
        chromium.close()


@pytest.fixture
def page(browser: Browser, server: Server) -> Iterator[Page]:
    """A fresh visitor; any error on the page's console fails the test."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=server.address)
    # Generous: a busy machine is slow, not wrong.
    context.set_default_timeout(60_000)
    expect.set_options(timeout=30_000)
    seen = context.new_page()
    errors: list[str] = []
    seen.on("console", lambda m: errors.append(m.text) if m.type == "error" else None)
    seen.on("pageerror", lambda e: errors.append(str(e)))
    yield seen
    context.close()
    # The browser itself reports refused requests as errors; those a test asks for are no fault of the page.
    # A page that is left while a part of it still loads says so too.
    noise = ("Failed to load resource", "htmx:afterRequest", "htmx:sendAbort")
    assert [e for e in errors if not e.startswith(noise)] == []
