"""Make the fixture of an upgrade test: a copy of a release's demo data without its large captures.

Fill the demo with that release, wait until everything is measured, stop it, then

    python scripts/release/cut_home.py var/demo 160 tests/fixtures/release

removes captures that are stored in more than 160 kB, and writes a backup of the rest. The home itself is changed.
"""

from __future__ import annotations

import sys
from pathlib import Path

from sqlalchemy import create_engine, text

from gladwire.store.backup import back_up
from gladwire.store.mariadb import PrivateMariaDB

_LARGE = "SELECT capture_id FROM capture_chunks GROUP BY capture_id HAVING SUM(LENGTH(data)) > :most"
_EMPTY = "SELECT s.id FROM charging_sessions s LEFT JOIN captures c ON c.session_id = s.id WHERE c.id IS NULL"
# In an order in which nothing points at what is gone.
_OF_A_CAPTURE = ("measurements", "settlements", "placements", "reading_pictures", "known_goods", "capture_chunks")


def main(home: Path, most_kb: int, folder: Path) -> None:
    with PrivateMariaDB(home) as server, create_engine(server.url).begin() as db:
        large = tuple(db.scalars(text(_LARGE), {"most": most_kb * 1000}))
        for table in _OF_A_CAPTURE:
            db.execute(text(f"DELETE FROM {table} WHERE capture_id IN :large"), {"large": large})
        db.execute(text("DELETE FROM captures WHERE id IN :large"), {"large": large})
        # A session without a capture is none.
        for table in ("observations", "key_logs", "judgements"):
            db.execute(text(f"DELETE FROM {table} WHERE session_id IN ({_EMPTY})"))
        db.execute(text(f"DELETE FROM charging_sessions WHERE id IN ({_EMPTY})"))
        # Names of machines say nothing here.
        db.execute(text("UPDATE captures SET claimed_by = ''"))
        db.execute(text("UPDATE charging_sessions SET judge = ''"))
    path, kept = back_up(home, folder)
    print(f"{path}: {kept.captures} captures, {path.stat().st_size / 1e6:.1f} MB")


if __name__ == "__main__":
    main(Path(sys.argv[1]).resolve(), int(sys.argv[2]), Path(sys.argv[3]))
