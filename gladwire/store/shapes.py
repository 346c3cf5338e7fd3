"""What is kept has a format number; here is how each older format becomes the newest, in small steps between neighbours.

A change of shape raises the number and adds a step; one old file of each format stays in `tests/fixtures/kept/`. Results can
be made anew from the originals; what people settled and what equipment says cannot, and must come along.
"""

from __future__ import annotations

import json
import zlib
from collections.abc import Callable, Mapping
from typing import Any

from gladwire.core.measured import Measured
from gladwire.core.session.stored import Judged
from gladwire.core.settled import Settled

Shape = dict[str, Any]
Step = Callable[[Shape], Shape]

MEASURED_FORMAT = 2
JUDGED_FORMAT = 1
SETTLED_FORMAT = 2
DETAILS_FORMAT = 2


class OldShapeError(Exception):
    """What is kept has a shape this version does not read; it has to be made anew."""


def _measured_1_2(old: Shape) -> Shape:
    """Records stood under names of their own, with the judgement beside them; the noise of power was not the pilot's."""
    records: Shape = {}
    for lane, name in (("pilot", "pilot"), ("proximity", "proximity"), ("lock", "lock"), ("mains", "mains"),
                       ("frames", "conversation"), ("bus", "bus"), ("power", "power")):  # fmt: skip
        if old.get(name):
            records[lane] = [old[name]]
    if old.get("contactors"):
        records["contactor"] = old["contactors"]
    records |= {"frames": [_respelled(r) for r in records["frames"]]} if "frames" in records else {}
    if "pilot" in records:
        pilot = records["pilot"][0]
        moved = {"interpretation": pilot.get("reading"), "noise": old.get("power_noise", [])}
        records["pilot"] = [{k: v for k, v in pilot.items() if k != "reading"} | moved]
    kept = ("format", "recorded_at", "remarks", "channels", "channel_index", "channel_why", "channel_guessed",
            "roles_confirmed_by")  # fmt: skip
    return {"measures": old.get("analyser", 0), **{k: old[k] for k in kept if k in old}, "records": records}


_SPELLED_2 = {
    "talks": "connections", "turns": "exchanges", "answer": "response", "last_answer": "last_response", "sealed": "tls",
    "closings": "ends", "chains": "certificate_chains",
}  # fmt: skip


def _respelled(value: Any) -> Any:
    """Fields of a conversation under the names they have now."""
    if isinstance(value, list):
        return [_respelled(one) for one in value]
    if isinstance(value, dict):
        return {_SPELLED_2.get(key, key): _respelled(one) for key, one in value.items()}
    return value


def _settled_1_2(old: Shape) -> Shape:
    """A channel could be settled as what is made of messages or of a record, which means nothing for samples."""
    roles = {name: role for name, role in old.get("roles", {}).items() if role not in ("said", "power", "bus")}
    return {**old, "roles": roles}


def _details_1_2(old: Shape) -> Shape:
    """Nothing changed but that a number stands beside it."""
    return old


_MEASURED: Mapping[int, Step] = {1: _measured_1_2}
_SETTLED: Mapping[int, Step] = {1: _settled_1_2}
_DETAILS: Mapping[int, Step] = {1: _details_1_2}


def unpacked(kept: bytes) -> str:
    """What was kept compressed. Raises OldShapeError where it is damaged: it has to be made anew."""
    try:
        return zlib.decompress(kept).decode()
    except (zlib.error, UnicodeDecodeError) as error:
        raise OldShapeError(str(error)) from error


def measured_from(text: str, number: int) -> Measured:
    """Raises OldShapeError where it has to be made anew."""
    try:
        return Measured.model_validate(_newest(text, number, MEASURED_FORMAT, _MEASURED))
    except (ValueError, KeyError, TypeError) as error:
        raise OldShapeError(str(error)) from error


def judged_from(text: str, number: int) -> Judged:
    """Raises OldShapeError where it has to be made anew."""
    try:
        return Judged.model_validate(_newest(text, number, JUDGED_FORMAT, {}))
    except (ValueError, KeyError, TypeError) as error:
        raise OldShapeError(str(error)) from error


def settled_from(text: str, number: int) -> Settled:
    """What a person settled. Fields this version does not know are passed by: a word is worth more than its shape."""
    found = _newest(text, number, SETTLED_FORMAT, _SETTLED)
    return Settled.model_validate({key: value for key, value in found.items() if key in Settled.model_fields})


def details_from(text: str, number: int) -> Shape:
    """Figures of a piece of equipment."""
    return _newest(text, number, DETAILS_FORMAT, _DETAILS)


def _newest(text: str, number: int, newest: int, steps: Mapping[int, Step]) -> Shape:
    """Raises OldShapeError for a format that is newer than this version, or has no way here."""
    if number > newest or any(step not in steps for step in range(number, newest)):
        raise OldShapeError(f"kept in format {number}, which this version does not read (it writes {newest})")
    found: Shape = json.loads(text)
    while number != newest:
        found, number = steps[number](found), number + 1
    return found
