"""Channel detection: what each channel of a recording is, settled by a person, told from its name and unit, or from looks
nothing else has; and which of them is the pilot."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

from gladwire.core.lanes.all import LANES, OTHER, ROLE_BY_KEY
from gladwire.core.lanes.lane import Channels
from gladwire.core.lanes.pilot.hypotheses import interpret
from gladwire.core.lanes.pilot.lane import LANE as PILOT
from gladwire.core.lanes.pilot.levels import glance
from gladwire.core.signal.waveform import Waveform

_CP = PILOT.roles[0]
_VOLTAGE = re.compile(r"u\d?", re.IGNORECASE)
_OTHERS = re.compile(r"\b(pp|prox\w*|lock\w*|motor|curr\w*|amps?|temp\w*)\b", re.IGNORECASE)


def signature(format_key: str, channels: Sequence[tuple[str, str]]) -> str:
    """What files of one instrument have in common: the format, and the (name, unit) of every channel in order."""
    text = "\n".join([format_key, *(f"{name}\t{unit}" for name, unit in channels)])
    return hashlib.sha256(text.encode()).hexdigest()


class RoleOf(NamedTuple):
    """A channel's number, what it is, and what that was told from: "" where a person settled it."""

    number: int
    role: str
    told_by: Literal["", "name", "looks"]


def roles_of(channels: Sequence[Waveform], pilot: int | None, settled: Mapping[str, str]) -> tuple[RoleOf, ...]:
    """Roles of all channels; pilot: number of the channel taken for the pilot, if one was."""
    found = []
    for number, wave in enumerate(channels):
        if number == pilot:
            found.append(RoleOf(number, _CP.key, "" if wave.name in settled else "looks"))
        elif wave.name in settled:
            found.append(RoleOf(number, settled[wave.name], ""))
        else:
            found.append(_told(number, wave))
    return tuple(found)


def by_role(channels: Sequence[Waveform], roles: Sequence[RoleOf]) -> Channels:
    found: dict[str, list[Waveform]] = {}
    for told in roles:
        found.setdefault(told.role, []).append(channels[told.number])
    return Channels(found)


def _told(number: int, wave: Waveform) -> RoleOf:
    named = role_by_name(wave)
    seen = _role_by_level(wave) if named == OTHER.key else None
    return RoleOf(number, seen, "looks") if seen else RoleOf(number, named, "name")


def role_by_name(wave: Waveform) -> str:
    """What a channel's name and unit say it is; never the pilot, which `choose_pilot` tells."""
    name = re.sub(r"[_\-.]", " ", wave.name)
    others = (role for lane in LANES if lane is not PILOT for role in lane.roles)
    return next((role.key for role in others if role.is_named(name, wave.unit)), OTHER.key)


def _role_by_level(wave: Waveform) -> str | None:
    return next((r.key for lane in LANES for r in lane.roles if r.recognises and r.recognises(wave)), None)


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
    named = _is_named(wave)
    reasons = ["its name says so"] if named else []
    reasons += ["its levels are a pilot's"] if scores[best] % 1 > 0.5 else []
    why = f"Of {len(channels)} channels “{wave.name}” was taken for the pilot: {' and '.join(reasons) or 'the first'}."
    return Choice(best, not named, why)


def _may_be(wave: Waveform) -> bool:
    if wave.unit == "logic":
        return False
    if _is_named(wave):
        return True
    if _VOLTAGE.fullmatch(_plain(wave.name).strip()) and wave.unit not in ("A", "ohm"):
        # Any voltage may be called “U”: what looks like a pilot may be one.
        return _likeness(wave) > 0.5
    return role_by_name(wave) == "other" and wave.unit not in ("A", "ohm")


def _what_instead(channels: Sequence[Waveform], others: Sequence[str]) -> str:
    def told(wave: Waveform) -> str:
        if wave.name in others:
            return f"“{wave.name}” was settled as something else"
        what = "a logic line" if wave.unit == "logic" else ROLE_BY_KEY[role_by_name(wave)].words
        return f"“{wave.name}” is {what} by its name or unit"

    return ", ".join(told(wave) for wave in channels)


def _names(channels: Sequence[Waveform]) -> str:
    return ", ".join(f"“{wave.name}”" for wave in channels)


def _plain(name: str) -> str:
    return name.replace("_", " ")


def _likeness(wave: Waveform) -> float:
    """Whole part: name and unit. Fraction: share of the record that lies on pilot levels under its best reading."""
    seen = glance(wave)
    reading = interpret(seen, wave.unit)
    steady_zero = not seen.swings.any() and reading.recognised_share <= 0.5
    share = 0.0 if steady_zero else reading.recognised_share - 0.2 * len(reading.guessed)
    name = 1.0 if _is_named(wave) else -1.0 if _OTHERS.search(_plain(wave.name)) else 0.0
    unit = -2.0 if wave.unit in ("A", "ohm") else 0.0
    return name + unit + min(max(share, 0.0), 0.99)


def _is_named(wave: Waveform) -> bool:
    return _CP.is_named(_plain(wave.name), wave.unit)
