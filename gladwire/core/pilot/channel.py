"""Which channel of a recording is the pilot: by name, by unit, by what it looks like."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

from gladwire.core.pilot.hypotheses import read_levels
from gladwire.core.pilot.levels import glance
from gladwire.core.waveform import Waveform

_NAMED = re.compile(r"\b(cp|pilot|control[ _-]?pilot)\b", re.IGNORECASE)
_OTHERS = re.compile(r"\b(pp|prox\w*|lock\w*|motor|curr\w*|amps?|temp\w*)\b", re.IGNORECASE)


class Choice(NamedTuple):
    """number of the chosen channel, whether that was a guess, and the sentence that says why."""

    number: int
    guessed: bool
    why: str


def choose_pilot(channels: Sequence[Waveform], wanted: str | None = None, others: Sequence[str] = ()) -> Choice:
    """Pick the pilot channel. wanted: a channel's name, settled by a person; others: names of channels that are not it.

    Raises ValueError when a settled channel does not exist or none is left.
    """
    for name in others:
        if all(wave.name != name for wave in channels):
            raise ValueError(f"there is no channel “{name}” in this capture; it holds {_names(channels)}")
    if wanted is not None:
        for index, wave in enumerate(channels):
            if wave.name == wanted:
                return Choice(index, False, f"Channel “{wanted}”, as settled by hand.")
        raise ValueError(f"there is no channel “{wanted}” in this capture; it holds {_names(channels)}")
    left = [index for index, wave in enumerate(channels) if wave.name not in others]
    if not left:
        raise ValueError("every channel was settled as something else; none is left for the pilot")
    if len(channels) == 1:
        return Choice(0, False, "")
    scores = {index: _likeness(channels[index]) for index in left}
    best = max(left, key=lambda i: (scores[i], -i))
    wave = channels[best]
    named = _NAMED.search(_plain(wave.name)) is not None
    reasons = ["its name says so"] if named else []
    reasons += ["its levels are a pilot's"] if scores[best] % 1 > 0.5 else []
    why = f"Of {len(channels)} channels “{wave.name}” was taken for the pilot: {' and '.join(reasons) or 'the first'}."
    return Choice(best, not named, why)


def _names(channels: Sequence[Waveform]) -> str:
    return ", ".join(f"“{wave.name}”" for wave in channels)


def _plain(name: str) -> str:
    return name.replace("_", " ")


def _likeness(wave: Waveform) -> float:
    """Whole part: name and unit. Fraction: share of the record that lies on pilot levels under its best reading."""
    seen = glance(wave)
    reading = read_levels(seen, wave.unit)
    steady_zero = not seen.swings.any() and reading.recognised_share <= 0.5
    share = 0.0 if steady_zero else reading.recognised_share - 0.2 * len(reading.guessed)
    name = 1.0 if _NAMED.search(_plain(wave.name)) else -1.0 if _OTHERS.search(_plain(wave.name)) else 0.0
    unit = -2.0 if wave.unit in ("A", "ohm") else 0.0
    return name + unit + min(max(share, 0.0), 0.99)
