"""Bench: quick calculators, each with the drawing that explains it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import Response

from gladwire.web.calculators import ac_links, coded_plug, divider, duty, latch, lead, message, paid, which_lead
from gladwire.web.calculators.tool import Tool
from gladwire.web.errors import RefusedError
from gladwire.web.forms import told
from gladwire.web.templating import render

router = APIRouter()

TOOLS: tuple[Tool, ...] = (
    duty.TOOL,
    divider.TOOL,
    coded_plug.TOOL,
    latch.TOOL,
    lead.TOOL,
    which_lead.TOOL,
    ac_links.TOOL,
    paid.TOOL,
    message.TOOL,
)


@dataclass(frozen=True)
class ToolPart:
    """A calculator with what was typed and what comes of it; trouble is a sentence, or nothing."""

    tool: Tool
    typed: Mapping[str, str]
    answer: object
    trouble: str


@dataclass(frozen=True)
class BenchPage:
    area: str
    parts: list[ToolPart]


def _typed(tool: Tool, asked: Mapping[str, str]) -> dict[str, str]:
    """What was typed for each field, cut to what it takes."""
    return {f.name: asked.get(f.name, "")[: f.most] for f in tool.fields}


def _part(tool: Tool, typed: Mapping[str, str]) -> ToolPart:
    try:
        return ToolPart(tool, typed, tool.answer(typed), "")
    except ValueError as error:
        return ToolPart(tool, typed, None, told(error))


@router.get("/bench")
def bench(request: Request) -> Response:
    """All calculators; one whose key is in the address as `tool` takes its fields from there."""
    asked = request.query_params
    parts = []
    for tool in TOOLS:
        typed = {field.name: field.default for field in tool.fields}
        if asked.get("tool") == tool.key:
            typed = _typed(tool, asked)
        parts.append(_part(tool, typed))
    return render("bench.html", BenchPage("bench", parts))


@router.get("/bench/{key}")
def one_answer(request: Request, key: str) -> Response:
    """One calculator's answer, as a fragment."""
    tool = next((t for t in TOOLS if t.key == key), None)
    if tool is None:
        raise RefusedError(404, f"There is no calculator “{key}”.", "Choose one on the Bench.")
    return render("parts/answer.html", _part(tool, _typed(tool, request.query_params)))
