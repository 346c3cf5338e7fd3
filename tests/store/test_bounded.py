"""Work in a process of its own: results come back, and what is too much, too long, broken or killed ends in a sentence."""

from __future__ import annotations

import os
import signal
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest

from gladwire.work.bounded import Bounds, Progress, RefusedWorkError, StopWork, run_bounded

ENOUGH = Bounds(512, 30.0)


def doubled(value: int) -> int:
    return 2 * value


def refuses() -> None:
    raise RefusedWorkError("line 3: a number was expected")


def trips() -> float:
    return float(np.exp(np.float64(1.0))) / 0


def takes_memory_at_once() -> int:
    return len(np.ones(4 * 2**30, np.uint8))


def takes_memory_bit_by_bit() -> int:
    held = []
    while True:
        held.append(np.ones(2**23, np.uint8))
        time.sleep(0.01)


def sleeps() -> None:
    time.sleep(60)


def kills_itself() -> None:
    os.kill(os.getpid(), signal.SIGSEGV)


def large() -> bytes:
    return bytes(20 * 2**20)


def test_a_result_comes_back() -> None:
    assert run_bounded(doubled, 21, bounds=ENOUGH) == 42
    assert len(run_bounded(large, bounds=ENOUGH)) == 20 * 2**20


@pytest.mark.parametrize(
    ("work", "bounds", "says"),
    [
        (refuses, ENOUGH, "line 3: a number was expected"),
        (trips, ENOUGH, "ZeroDivisionError"),
        (takes_memory_at_once, ENOUGH, "0.5 GiB of memory"),
        (takes_memory_bit_by_bit, Bounds(256, 30.0), "0.2 GiB of memory"),
        (sleeps, Bounds(512, 0.5), "took longer"),
        (kills_itself, ENOUGH, "signal 11"),
    ],
)
def test_what_comes_to_no_result_ends_in_one_sentence(work: object, bounds: Bounds, says: str) -> None:
    with pytest.raises(RefusedWorkError, match=says):
        run_bounded(work, bounds=bounds)  # type: ignore[arg-type]


def test_a_watcher_is_told_and_can_end_the_work() -> None:
    told: list[Progress] = []

    def watch(progress: Progress) -> None:
        told.append(progress)
        raise StopWork("stopped by Ada")

    begun = time.monotonic()
    with pytest.raises(StopWork, match="Ada"):
        run_bounded(sleeps, bounds=ENOUGH, watch=watch)
    assert told[0].seconds >= 1.0
    assert told[0].memory_mib > 1.0
    assert time.monotonic() - begun < 20.0


def takes_much_for_a_while() -> tuple[float, float]:
    held = np.ones(200 * 2**20, np.uint8)
    begun = time.monotonic()
    while time.process_time() < 2.4:
        held += 1
    return begun, time.monotonic()


def test_two_that_want_much_memory_go_on_one_after_the_other(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Both hold more than their share: one goes on, the other stands still and is given the time it stood."""
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    told: list[Progress] = []
    bounds = Bounds(1024, 4.4, share_mib=100)
    with ThreadPoolExecutor(2) as pool:
        both = [pool.submit(run_bounded, takes_much_for_a_while, bounds=bounds, watch=told.append) for _ in range(2)]
        first, second = sorted(each.result() for each in both)
    assert any(progress.waits for progress in told)
    assert second[1] > first[1] + 0.5
    small = run_bounded(doubled, 4, bounds=bounds)
    assert small == 8


def test_one_alone_that_wants_much_memory_never_stands_still(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    told: list[Progress] = []
    for _ in range(2):
        run_bounded(takes_much_for_a_while, bounds=Bounds(1024, 9.0, share_mib=100), watch=told.append)
    assert not any(progress.waits for progress in told)
