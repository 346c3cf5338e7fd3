"""A description of a bus (DBC): which identifier is which message, and where its signals lie.

cantools reads the file; the signals are then taken from all frames of a log at once.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any, Literal

from gladwire.core.can.log import EXTENDED

LONGEST = 8 << 20
# A CAN FD frame holds 512 bits, a message sent in parts (SAE J1939-21) 1785 bytes.
_MOST_BITS = 8 * 1785
_SIGNAL = re.compile(r"\bSG_\s+(\w+)[^:\n]*:\s*(\d+)\s*\|\s*(\d+)")
# What a described bus belongs to; it decides the spine.
Kind = Literal["controller", "connector"]


@dataclass(frozen=True)
class Signal:
    """bits: positions in the frame's data, least significant first (bit 0 of byte 0 is 0). number: how the bits are read.

    present = raw × scale + offset, in unit. only_for: values of the multiplexer that select it, with the multiplexer's name.
    """

    name: str
    bits: tuple[int, ...]
    number: Literal["unsigned", "signed", "float"]
    scale: float
    offset: float
    unit: str
    choices: Mapping[int, str]
    multiplexer: str = ""
    only_for: tuple[int, ...] = ()

    @property
    def bytes_needed(self) -> int:
        return max(self.bits) // 8 + 1


@dataclass(frozen=True)
class MessageName:
    """key: the identifier as `CanLog.ids` has it. sender: as the description names it."""

    key: int
    name: str
    sender: str
    signals: tuple[Signal, ...]
    cycle_s: float | None = None


@dataclass(frozen=True)
class Names:
    """A description. title: of the controller or connector it is of. text: the DBC as given."""

    title: str
    messages: tuple[MessageName, ...]
    text: str = ""
    kind: Kind = "controller"
    built_in: bool = False

    def covers(self, keys: Sequence[int]) -> int:
        """How many of these identifiers it names."""
        return len({m.key for m in self.messages} & set(keys))

    @property
    def counts(self) -> tuple[int, int]:
        """(messages, signals)."""
        return len(self.messages), sum(len(m.signals) for m in self.messages)

    def signal_names(self) -> list[str]:
        return [f"{m.name}.{s.name}" for m in self.messages for s in m.signals]


def is_dbc(head: bytes) -> bool:
    """Whether a file begins as a description does."""
    return any(line.startswith((b"BU_:", b"BO_ ", b"NS_ :", b'VERSION "')) for line in head[:4096].splitlines())


def dbc_text(content: bytes) -> str:
    """A description's text: UTF-8, or the Windows code page most tools write, whose degree sign is no UTF-8."""
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError:
        return content.decode("cp1252", "replace")


def read_names(text: str, title: str) -> Names:
    """Raises ValueError with one clear sentence."""
    return _read(text, title)


@lru_cache(maxsize=16)
def _read(text: str, title: str) -> Names:
    import cantools  # only where a log or a description is at hand

    if len(text) > LONGEST:
        raise ValueError("a description of more than 8 MiB is not read")
    for signal in _SIGNAL.finditer(text):
        if int(signal[2][:9]) + int(signal[3][:9]) > _MOST_BITS:
            raise ValueError(
                f"the signal {signal[1][:60]} lies beyond bit {_MOST_BITS}: no message of a bus is that long"
            )
    try:
        found: Any = cantools.database.load_string(text, database_format="dbc", strict=False)
    except Exception as error:  # whatever the library trips over, the file is what is wrong
        problem = next(iter(str(error).splitlines()), type(error).__name__)
        raise ValueError(f"no description of a bus (DBC): {problem[:160]}") from error
    messages = tuple(_message(m) for m in found.messages)
    if not messages:
        raise ValueError("the description names no message")
    return Names(title, messages, text)


def _message(m: Any) -> MessageName:
    key = m.frame_id | (EXTENDED if m.is_extended_frame else 0)
    cycle = m.cycle_time / 1000.0 if m.cycle_time else None
    return MessageName(key, m.name, m.senders[0] if m.senders else "", tuple(_signal(s) for s in m.signals), cycle)


def _signal(s: Any) -> Signal:
    return Signal(
        name=s.name,
        bits=_positions(s.start, s.length, s.byte_order == "little_endian"),
        number="float" if s.conversion.is_float else "signed" if s.is_signed else "unsigned",
        scale=float(s.conversion.scale),
        offset=float(s.conversion.offset),
        unit=s.unit or "",
        choices={int(k): str(v) for k, v in (s.choices or {}).items()},
        multiplexer=s.multiplexer_signal or "",
        only_for=tuple(s.multiplexer_ids or ()),
    )


def _positions(start: int, length: int, little: bool) -> tuple[int, ...]:
    """Bits of a signal, least significant first. Motorola counts on through the byte downwards, then the next byte."""
    if little:
        return tuple(range(start, start + length))
    found, at = [], start
    for _ in range(length):
        found.append(at)
        at = at + 15 if at % 8 == 0 else at - 1
    return tuple(reversed(found))


# File of a description that ships -> (its title, what it belongs to)
_SHIPPED: tuple[tuple[str, str, Kind], ...] = (
    ("chademo.dbc", "CHAdeMO connector, IEC 61851-24 Annex A (from memory)", "connector"),
    ("gbt27930.dbc", "GB/T 27930 connector (from memory)", "connector"),
)


@lru_cache(maxsize=1)
def shipped() -> tuple[Names, ...]:
    """Descriptions of connectors whose frames a published standard lays down."""
    folder = resources.files("gladwire.core.can") / "descriptions"
    made = []
    for file, title, kind in _SHIPPED:
        names = read_names((folder / file).read_text(encoding="utf-8"), title)
        made.append(Names(title, names.messages, names.text, kind, built_in=True))
    return tuple(made)


def best_for(keys: Sequence[int], known: Sequence[Names]) -> Names | None:
    """The description that names most of what a log holds; those a person gave come before those that ship. At least two
    identifiers, and a quarter of the description's own, must be there."""
    fitting = [n for n in known if n.covers(keys) >= max(2, len(n.messages) // 4)]
    return max(fitting, key=lambda n: (n.covers(keys), not n.built_in), default=None)
