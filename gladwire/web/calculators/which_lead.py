"""Which lead to carry for a vehicle and the posts it meets."""

from __future__ import annotations

from collections.abc import Mapping

from gladwire.core.calculations.lead_choice import Advice, advise, read_posts
from gladwire.core.standards.source import PRACTICE
from gladwire.web.calculators.tool import Field, Tool, number


def answer(typed: Mapping[str, str]) -> Advice:
    phases = number(typed, "phases", "On-board charger, phases")
    return advise(int(phases), number(typed, "amps", "On-board charger"), read_posts(typed.get("posts", "")))


TOOL = Tool(
    "which-lead",
    "Which lead to carry",
    "The lightest lead that loses nothing at the posts a vehicle meets.",
    (
        Field("phases", "On-board charger", "3", "", (("1", "one phase"), ("3", "three phases"))),
        Field("amps", "On-board charger", "16", "A"),
        Field("posts", "Posts it meets", "3x32, 1x16, 3x32 tethered, household", text=True),
    ),
    answer,
    (PRACTICE,),
)
