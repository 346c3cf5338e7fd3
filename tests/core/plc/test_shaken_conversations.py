"""Conversations shaken: each number, word and part of their records changed in turn, and what is then told otherwise."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from functools import cache

import pytest
from syrupy.assertion import SnapshotAssertion

from gladwire.core.findings import apply
from gladwire.core.lanes.frames.record import Alert, ConversationRecord
from gladwire.core.lanes.frames.rules import RULES
from gladwire.core.plc.frames import FrameCapture
from gladwire.core.plc.keylog import read_keylog
from gladwire.core.simulate.plc.peers import Post, Vehicle
from gladwire.core.simulate.plc.peers20 import Post20, Vehicle20
from gladwire.core.simulate.plc.session import Plan, play
from gladwire.core.supplements import Supplements
from gladwire.formats.opening import Source
from gladwire.formats.reader import Options
from gladwire.formats.registry import read_capture
from tests.build import take
from tests.core.test_rules_from_captures import SESSIONS
from tests.shaking import shaken

AC2 = "AC_three_phase_core"


def played(plan: Plan) -> ConversationRecord:
    capture = FrameCapture(tuple(play(plan).frames), "sim", first_at=plan.started_at)
    return take(capture).analysis.conversation  # type: ignore[no-any-return]


def fixture(name: str, opened: bool = True) -> ConversationRecord:
    capture = read_capture(Source(next(SESSIONS.glob(f"{name}.pcap*"))), Options())
    keys = Supplements(read_keylog((SESSIONS / f"{name}.keys").read_text())) if opened else None
    return take(capture, None, keys).analysis.conversation  # type: ignore[no-any-return]


BASES: Mapping[str, Callable[[], ConversationRecord]] = {
    "iso2 dc": lambda: played(Plan(loop_s=2.0)),
    "din": lambda: played(Plan(vehicle=Vehicle(("din",)), loop_s=2.0)),
    "iso2 ac with a contract": lambda: played(
        Plan(Vehicle(contract=("30",), mode=AC2), Post(by_contract=True, mode=AC2), loop_s=2.0)
    ),
    "iso20 dc": lambda: played(Plan(Vehicle20(), Post20(), loop_s=2.0)),
    "silent in pre-charge": lambda: played(Plan(Vehicle(silent_after="PreCharge"))),
    "refused": lambda: played(Plan(post=Post(fails={"CableCheck": "FAILED"}))),
    "opened": lambda: fixture("sealed12_install"),
    "opened, newer": lambda: fixture("sealed13_iso20_dc"),
    "closed": lambda: fixture("sealed12_gcm_iso2_dc", opened=False),
}
base = cache(lambda name: BASES[name]())


def brief(record: ConversationRecord) -> set[str]:
    return {f"{f.severity} {f.code} {f.measured} {f.start_s:.1f}-{f.end_s:.1f}" for f in apply(RULES, record)}


def differences(record: ConversationRecord, variants: Iterator[tuple[str, ConversationRecord]]) -> list[str]:
    before, lines = brief(record), []
    for where, variant in variants:
        now = brief(variant)
        changed = [
            *sorted(now - before),
            *(f"- {gone.partition(' ')[2].partition(' ')[0]}" for gone in sorted(before - now)),
        ]
        lines += [f"{where}: {'; '.join(changed)}"] if changed else []
    return lines


@pytest.mark.parametrize("name", BASES)
def test_every_part_of_a_conversation(name: str, snapshot: SnapshotAssertion) -> None:
    record = base(name)
    assert differences(record, shaken(record)) == snapshot


@pytest.mark.parametrize("name", ["iso2 dc", "opened", "closed"])
def test_alerts_and_the_watch_after(name: str, snapshot: SnapshotAssertion) -> None:
    record = base(name)
    connection = record.connections[0]
    names = ("unknown_ca", "certificate_expired", "bad_certificate", "handshake_failure", "protocol_version", "close_notify",
             "internal_error", "certificate_unknown", "unsupported_certificate", "insufficient_security")  # fmt: skip

    def variants() -> Iterator[tuple[str, ConversationRecord]]:
        for alert in names if connection.tls else ():
            for by in ("ev", "evse"):
                one = Alert.model_validate({"time_s": connection.start_s + 0.1, "by": by, "name": alert, "fatal": True})
                for made in (one, one.model_copy(update={"fatal": False})):
                    tls = connection.tls.model_copy(update={"alerts": (made,)})
                    changed = connection.model_copy(update={"tls": tls})
                    rest = record.connections[1:]
                    yield f"{alert} by {by}, {made.fatal}", record.model_copy(update={"connections": (changed, *rest)})
        for n in range(len(connection.exchanges) + 1):
            for watch in (0.2, 0.7, 2.5, 6.0, 45.0, 130.0):
                cut = connection.model_copy(update={"exchanges": connection.exchanges[:n], "ends": ()})
                end = max((e.end_s for e in cut.exchanges), default=connection.start_s) + watch
                yield (
                    f"{n} exchanges, {watch:g} s watched",
                    record.model_copy(
                        update={"connections": (cut.model_copy(update={"end_s": end - watch}),), "end_s": end}
                    ),
                )

    assert differences(record, variants()) == snapshot
