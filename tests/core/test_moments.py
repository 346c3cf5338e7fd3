"""Every time in a record says whether it is a moment or a length, and moving a record moves the moments and nothing else."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, get_args

import pytest
from pydantic import BaseModel

from gladwire.core.lanes.all import LANES
from gladwire.core.lanes.records import Record
from gladwire.core.moments import A_LENGTH, ON_CLOCK, Clock, on_clock
from gladwire.scenarios.all import SCENARIOS
from tests.build import take


def models(kind: type[BaseModel], seen: set[type[BaseModel]]) -> Iterator[type[BaseModel]]:
    if kind in seen:
        return
    seen.add(kind)
    yield kind
    for field in kind.model_fields.values():
        for inner in parts(field.annotation):
            yield from models(inner, seen)


def parts(annotation: Any) -> Iterator[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        yield annotation
    for inner in get_args(annotation):
        yield from parts(inner)


SEEN: set[type[BaseModel]] = set()
RECORDED = [m for kind in (lane.record for lane in LANES) for m in models(kind, SEEN)]
TIMES = [(m, name) for m in RECORDED for name in m.model_fields if name.endswith("_s")]


@pytest.mark.parametrize(("kind", "name"), TIMES, ids=[f"{m.__name__}.{n}" for m, n in TIMES])
def test_every_field_of_seconds_is_a_moment_or_a_length(kind: type[BaseModel], name: str) -> None:
    field = kind.model_fields[name]
    told = [*field.metadata, *(m for inner in get_args(field.annotation) for m in getattr(inner, "__metadata__", ()))]
    assert {ON_CLOCK, A_LENGTH} & set(told), f"{kind.__name__}.{name} says neither"


def numbers(value: Any, path: str = "") -> Iterator[tuple[str, Any]]:
    if isinstance(value, dict):
        for key, inner in value.items():
            yield from numbers(inner, f"{path}.{key}")
    elif isinstance(value, list | tuple):
        for index, inner in enumerate(value):
            yield from numbers(inner, f"{path}.{index}")
    else:
        yield path, value


def test_moving_there_and_back_is_the_record_again_and_what_is_no_moment_stays() -> None:
    moved_paths = set()
    for scenario in SCENARIOS[::6]:
        records: list[Record] = list(take(scenario.makes()).analysis.measured.records)
        for record in records:
            there = on_clock(record, Clock(100.0))
            for (path, old), (_, new) in zip(numbers(record.model_dump()), numbers(there.model_dump()), strict=True):
                if old != new:
                    assert new == pytest.approx(old + 100.0), path
                    moved_paths.add(path.rsplit(".", 1)[-1])
    assert {"start_s", "end_s", "time_s"} <= moved_paths
