"""The folder an instance keeps its data in, held by one process at a time."""

from __future__ import annotations

import fcntl
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


class HomeInUseError(Exception):
    """Another process holds the folder. The text is what that process said of itself."""


@contextmanager
def only_one(home: Path, who: str) -> Iterator[None]:
    """Hold the folder: two servers on one data directory would harm it. who: said to whoever comes second.

    Raises HomeInUseError.
    """
    home.mkdir(parents=True, exist_ok=True)
    with (home / "lock").open("a+") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            file.seek(0)
            raise HomeInUseError(file.read().strip()) from None
        file.truncate(0)
        file.write(who)
        file.flush()
        yield
