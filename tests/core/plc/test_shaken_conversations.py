"""Conversations shaken: each number, word and part of their records changed in turn, and what is then told otherwise."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from functools import cache
from typing import Any

import pytest
from pydantic import BaseModel
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
# What no rule looks at, or what would only be another name for the same.
PASSED_BY = {"number", "frames", "groups_db", "nid", "bytes", "kinds", "lane", "ev_address", "address", "port", "name",
             "offered", "issuer", "evse_address", "protocol", "key", "signature", "time_s"}  # fmt: skip
OTHER_WORDS = {"OK": "FAILED", "Finished": "Ongoing", "EVSE_Ready": "EVSE_Shutdown", "NO_ERROR": "FAILED_EVRESSMalfunction",
               "None": "StopCharging", "Start": "Stop", "Stop": "Start", "Valid": "Invalid", "fin": "rst", "ev": "evse",
               "evse": "ev", "matched": "incomplete", "opened": "partly", "Terminate": "Pause"}  # fmt: skip


def others(value: Any) -> list[Any]:
    """Values to stand in for one: near, far, none, the opposite."""
    if isinstance(value, bool):
        return [not value]
    if isinstance(value, int):
        return [0, value + 1, 3 * value + 5]
    if isinstance(value, float):
        return [0.0, 0.49 * value, value + 0.3, value + 4.0, value + 70.0]
    if isinstance(value, str):
        return [OTHER_WORDS[value]] if value in OTHER_WORDS else [""] if value else []
    return []


def shaken(value: Any, path: str = "") -> Iterator[tuple[str, Any]]:
    """(what was changed, the whole with it changed) for every part of a record, at any depth."""
    if isinstance(value, BaseModel):
        for name in type(value).model_fields:
            # Of a loop the last exchange is the one looked at.
            if name not in PASSED_BY and getattr(value, f"last_{name}", None) is None:
                for where, changed in shaken(getattr(value, name), f"{path}.{name}"):
                    yield where, value.model_copy(update={name: changed})
    elif isinstance(value, dict):
        yield from shaken_fields(value, path)
    elif isinstance(value, tuple) and value and isinstance(value[0], BaseModel):
        for n, one in enumerate(value):
            name = getattr(one, "stem", "") or str(n)
            for where, changed in shaken(one, f"{path}[{name}]"):
                yield where, (*value[:n], changed, *value[n + 1 :])
            if len(value) > 1 or not path.endswith(".certificates"):
                yield f"{path} without {name}", (*value[:n], *value[n + 1 :])
    else:
        for other in others(value):
            shown = f"{other:g}" if isinstance(other, float) else repr(other)
            yield f"{path} as {shown}", other


def shaken_fields(fields: dict[str, Any], path: str) -> Iterator[tuple[str, dict[str, Any]]]:
    """Fields of a message, or ranges and flags of a loop, by their names."""
    for key, one in fields.items():
        name = str(key).rpartition(".")[2]
        for other in others(one)[:3]:
            yield f"{path}.{name} as {other!r}", {**fields, key: other}
        yield f"{path} without {name}", {k: v for k, v in fields.items() if k != key}


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
