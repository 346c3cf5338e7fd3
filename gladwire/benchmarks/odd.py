"""Odd requests made from the description of the routes itself, for the suite and for the storm."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import schemathesis
from fastapi import FastAPI
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis import strategies as st

from gladwire.web.app import AREAS

Ask = Callable[[str, str, dict[str, Any]], None]
# In place of a number or a name in an address.
_ODD = ["0", "-1", "²", "٣", "99999999999999999999", "1e3", "%2F", "a/b", "../..", "%00", "'", "x" * 300, "∞", "new"]


def operations() -> list[Any]:
    """Every route of the application with what it takes; those that take things away come last."""
    described = FastAPI()
    for area in AREAS:
        described.include_router(area.router)
    found: list[Any] = list(schemathesis.openapi.from_dict(described.openapi()).get_all_operations())
    found = [each.ok() for each in found]
    return sorted(found, key=lambda operation: "remove" in operation.path)


def ask_oddly(operation: Any, numbers: Sequence[str], examples: int, ask: Ask, turn_of: int = 0) -> None:
    """Ask one route so many times. numbers: of what is there; ask: given method, path and what else a client takes; turn_of:
    another number makes other requests."""

    @seed(turn_of)
    @settings(
        max_examples=examples,
        deadline=None,
        database=None,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    @given(
        case=operation.as_strategy(), known=st.sampled_from(numbers), odd=st.sampled_from(_ODD), turn=st.integers(0, 3)
    )
    def asked(case: schemathesis.Case[Any], known: str, odd: str, turn: int) -> None:
        made = case.as_transport_kwargs(base_url="http://testserver")
        path = operation.path
        for name, value in (case.path_parameters or {}).items():
            chosen = known if turn < 2 else odd if turn == 2 else str(value)
            path = path.replace("{" + name + "}", chosen.replace("\x00", "%00"))
        kept = {key: made[key] for key in ("params", "data", "json", "files") if made.get(key) is not None}
        if "files" in kept:  # a client sends text or bytes
            kept["files"] = [(part, (name, _sent(value))) for part, (name, value) in kept["files"]]
        if isinstance(kept.get("data"), bytes):
            kept["content"] = kept.pop("data")
        ask(operation.method, path, kept)

    asked()


def _sent(value: Any) -> str | bytes:
    return value if isinstance(value, str | bytes) else str(value)
