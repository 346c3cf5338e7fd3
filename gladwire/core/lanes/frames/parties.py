"""Which vehicles speak in what was heard: each is a session of its own, told apart and judged for itself."""

from __future__ import annotations

from collections.abc import Sequence

from gladwire.core.lanes.frames.record import Connection, ConversationRecord


def party_of(connection: Connection) -> str:
    """The vehicle of a connection: its address on the line, else on the network; empty where neither was captured."""
    return connection.ev_mac or connection.ev_address


def vehicles(records: Sequence[ConversationRecord]) -> tuple[str, ...]:
    """Vehicles that said something to a post, in order of their first connection."""
    talked = sorted((c for r in records for c in r.connections if c.exchanges or c.tls), key=lambda c: c.start_s)
    return tuple(dict.fromkeys(party_of(c) for c in talked))


def only_of(record: ConversationRecord, vehicle: str, others: Sequence[str]) -> ConversationRecord:
    """A record with what belongs to one vehicle; what belongs to none of those that talk stays, as a neighbour's matching."""
    connections = tuple(c for c in record.connections if party_of(c) not in others)
    strangers = {c.evse_mac for c in record.connections if party_of(c) in others} - {c.evse_mac for c in connections}
    return record.model_copy(
        update={
            "connections": connections,
            "slac": tuple(run for run in record.slac if run.ev_mac not in others),
            "sdp": tuple(d for d in record.sdp if not _of_others(d.ev_mac, d.address, others, record, strangers)),
        }
    )


def _of_others(
    ev_mac: str, address: str, others: Sequence[str], record: ConversationRecord, strangers: set[str]
) -> bool:
    if ev_mac:
        return ev_mac in others
    theirs = {c.evse_address for c in record.connections if c.evse_mac in strangers}
    return address in theirs
