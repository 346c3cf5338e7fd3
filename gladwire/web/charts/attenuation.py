"""The attenuation profile of a matching run, drawn against the accept levels: one line a post."""

from __future__ import annotations

from typing import NamedTuple

from gladwire.core.plc.slac import SlacRun
from gladwire.core.standards.slac_limits import FOUND_DB, GROUPS, POSSIBLE_DB

LEFT, TOP, WIDTH, HEIGHT = 34.0, 8.0, 300.0, 120.0


class CapturedMessage(NamedTuple):
    """One post's line. path: SVG path; dash: told apart by stroke as well as by place. end_y: where its label stands."""

    mac: str
    average_db: float
    sounds: int
    chosen: bool
    path: str
    dash: str
    end_y: float


class Attenuation(NamedTuple):
    """A run's drawing. levels: (y, text) of the accept levels; silent: posts that answered and gave no result."""

    run: SlacRun
    posts: list[CapturedMessage]
    silent: list[str]
    levels: list[tuple[float, str]]
    bands: list[tuple[float, float, str]]
    ticks: list[tuple[float, int]]


_DASHES = ("", "7 3", "2 3", "9 2 2 2")


def attenuation(run: SlacRun) -> Attenuation | None:
    """None where no post measured anything."""
    if not run.profiles:
        return None
    top = max(30.0, *(float(v) for p in run.profiles for v in p.groups_db)) + 2.0

    def y(db: float) -> float:
        return round(TOP + HEIGHT * min(db, top) / top, 1)

    posts = []
    labels: list[float] = []
    for index, p in enumerate(sorted(run.profiles, key=lambda p: p.average_db)):
        step = WIDTH / max(len(p.groups_db) - 1, 1)
        path = "M" + "L".join(f"{LEFT + i * step:.1f} {y(db)}" for i, db in enumerate(p.groups_db))
        end = y(p.average_db)
        while any(abs(end - other) < 11 for other in labels):
            end += 11
        labels.append(end)
        posts.append(
            CapturedMessage(
                p.evse_mac, p.average_db, p.sounds, p.evse_mac == run.matched_mac, path, _DASHES[index % 4], end
            )
        )
    measured = {p.evse_mac for p in run.profiles}
    return Attenuation(
        run,
        posts,
        [a.evse_mac for a in run.answers if a.evse_mac not in measured],
        [(y(FOUND_DB), f"{FOUND_DB:g}"), (y(POSSIBLE_DB), f"{POSSIBLE_DB:g}"), (y(0), "0")],
        [(y(0), y(FOUND_DB) - y(0), "found"), (y(FOUND_DB), y(POSSIBLE_DB) - y(FOUND_DB), "possible")],
        [(LEFT + WIDTH * g / (GROUPS - 1), g + 1) for g in (0, 19, 38, GROUPS - 1)],
    )
