"""Every message, field and code a rule speaks of is in a schema: a misspelt name is silent for ever."""

from __future__ import annotations

import ast
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from gladwire.core.standards.v2g_codes import EMERGENCY, FIELDS_20, STOPPING, kind_of

CORE = Path(__file__).parents[3] / "gladwire" / "core"
GRAMMARS = [json.loads(p.read_text()) for p in sorted((CORE / "plc" / "exi" / "grammars").glob("*.json"))]
ASKING = {"of_request", "of_response", "of_either", "range_of", "field"}
FILES = sorted((CORE / "lanes" / "frames").rglob("*.py")) + sorted((CORE / "scene" / "rules").glob("*.py"))


def words(node: Any) -> Iterator[str]:
    """Every string of a grammar: elements, attributes, types and values."""
    if isinstance(node, str):
        yield node
    elif isinstance(node, dict):
        for value in node.values():
            yield from words(value)
    elif isinstance(node, list):
        for value in node:
            yield from words(value)


KNOWN = {word for grammar in GRAMMARS for word in words(grammar)}
STEMS = {word[:-3] for word in KNOWN if word.endswith(("Req", "Res"))} | {"supportedAppProtocol"}
KINDS = {kind_of(stem) for stem in STEMS}


def named(attributes: set[str]) -> list[tuple[str, str]]:
    """(file and line, string) of every string given to these methods or functions."""
    found = []
    for path in FILES:
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.Call):
                continue
            name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
            if name in attributes:
                found += [
                    (f"{path.relative_to(CORE)}:{node.lineno}", a.value)
                    for a in node.args
                    if isinstance(a, ast.Constant) and isinstance(a.value, str)
                ]
    return found


FIELDS = named(ASKING) + named({"top"})


@pytest.mark.parametrize(("where", "field"), FIELDS, ids=[f"{w} {f}" for w, f in FIELDS])
def test_every_field_a_rule_asks_for_is_in_a_schema(where: str, field: str) -> None:
    assert field.split("[")[0] in KNOWN or FIELDS_20.get(field) in KNOWN


def test_enough_fields_were_found_to_mean_anything() -> None:
    assert len(FIELDS) > 60


@pytest.mark.parametrize("old", FIELDS_20)
def test_both_spellings_of_a_field_are_in_schemas(old: str) -> None:
    assert old in KNOWN
    assert FIELDS_20[old] in KNOWN


def test_every_kind_of_exchange_a_rule_asks_for_is_a_message() -> None:
    kinds = [(w, k) for w, k in named({"of"}) if not k.islower()]
    assert len(kinds) > 15
    assert [(w, k) for w, k in kinds if k not in KINDS] == []


@pytest.mark.parametrize("status", sorted({*EMERGENCY, *STOPPING}))
def test_every_status_that_stops_is_in_a_schema(status: str) -> None:
    assert status in KNOWN
