"""What a capture tells of who took part: addresses on the power line, the identities both sides give, the description that
named a controller's bus, and what the files of one instrument have in common. The same vehicle or post is known again by them
(ISO 15118-2, SessionSetup: EVCCID and EVSEID; ISO 15118-3: the MAC address of each modem)."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal, NamedTuple

from gladwire.core.channels import signature
from gladwire.core.lanes.bus.record import CanRecord
from gladwire.core.lanes.frames.record import Connection, ConversationRecord
from gladwire.core.measured import Measured

Who = Literal["vehicle", "post", "controller"]
# ISO 15118-2's word of a post that has no identity, from memory.
_NO_IDENTITY = "ZZ00000"


def signature_of(measured: Measured) -> str:
    """What files of one instrument have in common; "" for what has no channels."""
    channels = [(c.name, c.unit if c.unit_told else "") for c in measured.channels]
    return signature(measured.format, channels) if channels else ""


def instrument_mark(measured: Measured) -> str:
    """The same as it is kept of an instrument; "" where there is none."""
    told = signature_of(measured)
    return f"instrument channels {told}" if told else ""


class Mark(NamedTuple):
    """of: whom it tells. what: in words. value: as it is compared, letters and digits in capitals."""

    of: Who
    what: str
    value: str

    @property
    def key(self) -> str:
        """As it is kept."""
        return f"{self.of} {self.what} {self.value}"[:120]


def marks_of(conversations: Iterable[ConversationRecord], buses: Iterable[CanRecord] = ()) -> tuple[Mark, ...]:
    """Marks of the one vehicle, the one post and the one controller that spoke; none of a side where several did."""
    talks = [t for c in conversations for t in c.connections]
    found = [m for t in talks for m in _of_connection(t)]
    found += [
        Mark("controller", "bus description", _plain(b.description))
        for b in buses
        if b.description and b.kind == "controller"
    ]
    # One digit again and again (all noughts, all F) is nobody's.
    kept = [m for m in dict.fromkeys(found) if len(set(m.value)) > 1 and m.value != _NO_IDENTITY]
    return tuple(m for m in kept if sum(o.of == m.of and o.what == m.what for o in kept) == 1)


def _of_connection(talk: Connection) -> Iterable[Mark]:
    setups = [e for e in talk.exchanges if e.stem == "SessionSetup"]
    said: list[tuple[Who, str, object]] = [
        ("vehicle", "address", talk.ev_mac),
        ("post", "address", talk.evse_mac),
        *(("vehicle", "EVCCID", e.of_request("EVCCID")) for e in setups),
        *(("post", "EVSEID", e.of_response("EVSEID")) for e in setups),
    ]
    for of, what, value in said:
        yield Mark(of, what, _plain(value))


def _plain(value: object) -> str:
    return "".join(c for c in str(value or "") if c.isalnum()).upper()
