"""Which channel of a recording is the pilot: by name, by unit, by what it looks like."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

from gladwire.core.lanes.pilot.hypotheses import read_levels
from gladwire.core.lanes.pilot.levels import glance
from gladwire.core.lanes.roles import ROLE_WORDS, role_by_name
from gladwire.core.signal.waveform import Waveform

_NAMED = re.compile(r"\b(cp|pilot|control[ _-]?pilot)\b", re.IGNORECASE)
_VOLTAGE = re.compile(r"u\d?", re.IGNORECASE)
_OTHERS = re.compile(r"\b(pp|prox\w*|lock\w*|motor|curr\w*|amps?|temp\w*)\b", re.IGNORECASE)


class Choice(NamedTuple):
    """number of the chosen channel (None: no channel is a pilot), whether that was a guess, and why, as a sentence."""

    number: int | None
    guessed: bool
    why: str


def choose_pilot(channels: Sequence[Waveform], wanted: str | None = None, others: Sequence[str] = ()) -> Choice:
    """Pick the pilot channel. wanted: a channel's name, settled by a person; others: names of channels that are not it.

    Channels whose name or unit says that they are something else are left alone. Raises ValueError when a settled
    channel does not exist.
    """
    for name in others:
        if all(wave.name != name for wave in channels):
            raise ValueError(f"there is no channel “{name}” in this capture; it holds {_names(channels)}")
    if wanted is not None:
        for index, wave in enumerate(channels):
            if wave.name == wanted:
                return Choice(index, False, f"Channel “{wanted}”, as settled by hand.")
        raise ValueError(f"there is no channel “{wanted}” in this capture; it holds {_names(channels)}")
    left = [i for i, wave in enumerate(channels) if wave.name not in others and _may_be(wave)]
    if not left:
        return Choice(None, False, f"No channel of this capture is a pilot: {_what_instead(channels, others)}.")
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


def _may_be(wave: Waveform) -> bool:
    if wave.unit == "logic":
        return False
    if _NAMED.search(_plain(wave.name)):
        return True
    if _VOLTAGE.fullmatch(_plain(wave.name).strip()) and wave.unit not in ("A", "ohm"):
        # Any voltage may be called “U”: what looks like a pilot may be one.
        return _likeness(wave) > 0.5
    return role_by_name(wave) == "other" and wave.unit not in ("A", "ohm")


def _what_instead(channels: Sequence[Waveform], others: Sequence[str]) -> str:
    def told(wave: Waveform) -> str:
        if wave.name in others:
            return f"“{wave.name}” was settled as something else"
        what = "a logic line" if wave.unit == "logic" else ROLE_WORDS[role_by_name(wave)]
        return f"“{wave.name}” is {what} by its name or unit"

    return ", ".join(told(wave) for wave in channels)


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
