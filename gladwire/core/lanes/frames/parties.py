"""Which vehicles speak in what was heard: each is a session of its own, told apart and judged for itself."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from gladwire.core.lanes.frames.record import Connection, ConversationRecord


@dataclass(frozen=True)
class Parties:
    """names: of the vehicles that said something to a post, in order of their first connection: the first address seen of
    each. by: every address of theirs, on the line or the network, to the name."""

    names: tuple[str, ...]
    by: Mapping[str, str]

    def of(self, connection: Connection) -> str:
        """The vehicle of a connection; empty where no address of it was captured."""
        return self.by.get(connection.ev_mac) or self.by.get(connection.ev_address, "")


def parties_of(connections: Iterable[Connection]) -> Parties:
    """Vehicles by what they share: one that comes again with another address on the network is the same by that on the line,
    and one whose line addresses were not captured by that on the network."""
    by: dict[str, str] = {}
    names: list[str] = []
    for c in sorted((c for c in connections if c.exchanges or c.tls), key=lambda c: c.start_s):
        addresses = [a for a in (c.ev_mac, c.ev_address) if a]
        name = next((by[a] for a in addresses if a in by), addresses[0] if addresses else "")
        by |= dict.fromkeys(addresses, name)
        if name and name not in names:
            names.append(name)
    return Parties(tuple(names), by)


def only_of(record: ConversationRecord, vehicle: str, parties: Parties) -> ConversationRecord:
    """A record with what belongs to one vehicle; what belongs to none of those that talk stays, as a neighbour's matching."""

    def others(name: str) -> bool:
        return bool(name) and name != vehicle

    theirs = [c for c in record.connections if others(parties.of(c))]
    mine = [c for c in record.connections if c not in theirs]
    posts = {c.evse_address for c in theirs} - {c.evse_address for c in mine}
    return record.model_copy(
        update={
            "connections": tuple(mine),
            "slac": tuple(run for run in record.slac if not others(parties.by.get(run.ev_mac, ""))),
            "sdp": tuple(
                d
                for d in record.sdp
                if not (others(parties.by.get(d.ev_mac, "")) if d.ev_mac else d.address and d.address in posts)
            ),
        }
    )


def all_connections(records: Sequence[ConversationRecord]) -> list[Connection]:
    """Every connection of all records."""
    return [c for r in records for c in r.connections]
