"""What each channel of a recording is: settled by a person, told from its name and unit, or from looks nothing else has
(`core/lanes/detection.py`; the pilot's own are in `core/lanes/pilot/channel.py`)."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

from gladwire.core.lanes.detection import looks_like
from gladwire.core.signal.waveform import Waveform

# What a person may settle a sampled channel to be; lanes of what was said in messages or of a power record
# are made, not settled.
SettledRole = Literal["cp", "pp", "lock_current", "lock_position", "mains_v", "mains_a", "contactor", "other"]
Role = Literal[SettledRole, "said", "power", "bus"]

ROLE_WORDS: dict[Role, str] = {
    "cp": "control pilot",
    "pp": "proximity",
    "lock_current": "lock actuator current",
    "lock_position": "lock position",
    "mains_v": "mains voltage at the vehicle",
    "mains_a": "mains current",
    "contactor": "contactor line",
    "said": "said in messages",
    "power": "power record",
    "bus": "sent on a bus",
    "other": "something else",
}
_PROXIMITY = re.compile(r"\b(pp|prox\w*)\b", re.IGNORECASE)
_LOCK = re.compile(r"\b(lock\w*|latch\w*|actuator|motor)\b", re.IGNORECASE)
_MAINS = re.compile(r"\b(l[123]|mains?|phase|u[123]?|i[123]?|irms|urms|line)\b", re.IGNORECASE)
_CONTACTOR = re.compile(r"\b(contactor|relay|k\d|aux)\b", re.IGNORECASE)
_POSITION = re.compile(r"\b(pos\w*|feedback|switch|sensor|fb)\b", re.IGNORECASE)


def signature(format_key: str, channels: Sequence[tuple[str, str]]) -> str:
    """What files of one instrument have in common: the format, and the (name, unit) of every channel in order."""
    text = "\n".join([format_key, *(f"{name}\t{unit}" for name, unit in channels)])
    return hashlib.sha256(text.encode()).hexdigest()


class RoleOf(NamedTuple):
    """A channel's number, what it is, and what that was told from: "" where a person settled it."""

    number: int
    role: Role
    told_by: Literal["", "name", "looks"]


def roles_of(channels: Sequence[Waveform], pilot: int | None, settled: Mapping[str, Role]) -> tuple[RoleOf, ...]:
    """Roles of all channels; pilot: number of the channel taken for the pilot, if one was."""
    found = []
    for number, wave in enumerate(channels):
        if number == pilot:
            found.append(RoleOf(number, "cp", "" if wave.name in settled else "looks"))
        elif wave.name in settled:
            found.append(RoleOf(number, settled[wave.name], ""))
        else:
            found.append(_told(number, wave))
    return tuple(found)


def _told(number: int, wave: Waveform) -> RoleOf:
    named = role_by_name(wave)
    seen = looks_like(wave) if named == "other" else None
    return RoleOf(number, seen, "looks") if seen else RoleOf(number, named, "name")


def role_by_name(wave: Waveform) -> Role:
    """What a channel's name and unit say it is; never the pilot, which `choose_pilot` tells."""
    name = re.sub(r"[_\-.]", " ", wave.name)
    if _PROXIMITY.search(name) or wave.unit == "ohm":
        return "pp"
    if _CONTACTOR.search(name):
        return "contactor"
    if _LOCK.search(name):
        return "lock_current" if wave.unit == "A" and not _POSITION.search(name) else "lock_position"
    if _MAINS.search(name):
        return "mains_a" if wave.unit == "A" else "mains_v" if wave.unit == "V" else "other"
    return "other"
