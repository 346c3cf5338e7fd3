"""The Bench's calculators through their pages: answers, drawings, and what they say to nonsense."""

from __future__ import annotations

import re
from html import unescape
from pathlib import Path

import pytest
from starlette.testclient import TestClient

import gladwire.web.calculators as calculators
from gladwire.web.pages.bench import TOOLS


def told(client: TestClient, tool: str, **typed: str) -> str:
    answer = client.get(f"/bench/{tool}", params=typed)
    assert answer.status_code == 200
    return unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]*>", "", answer.text))).strip()


LEAD = {"print": "5G6 + 2x0.5", "rating": "32", "code": "220", "contacts": "3", "length": "10", "temperature": "20"}
CHAIN = {
    "system": "230/400", "offer": "32", "cable_a": "32", "cable_p": "1", "supply_a": "32", "supply_p": "3",
    "onboard_a": "16", "onboard_p": "3",
}  # fmt: skip
DIVIDER = {
    "source": "12", "r1": "1000", "series": "0", "diode": "good", "r2": "2740", "r3": "1300", "capacitance": "1,5",
}  # fmt: skip
CARRY = {"phases": "3", "amps": "16", "posts": "3x32, 1x16, household"}


@pytest.mark.parametrize(
    ("tool", "typed", "says"),
    [
        ("duty", {"duty": "26,7"}, "16.02 A"),
        ("duty", {"amps": "16", "leads": "amps"}, "26.667 %"),
        ("duty", {"duty": "5"}, "digital communication"),
        ("duty", {"amps": "3", "leads": "amps"}, "No duty offers 3 A"),
        ("divider", DIVIDER, "reads C; margin 0.99 V"),
        ("divider", {**DIVIDER, "series": "900"}, "reads no state"),
        ("divider", {**DIVIDER, "r3": ""}, "reads B"),
        ("divider", {**DIVIDER, "diode": "shorted"}, "out"),
        ("divider", {**DIVIDER, "r2": "0"}, "must be above 0"),
        ("which-lead", CARRY, "Carry: Mode 3 lead, 16 A, three phases"),
        ("which-lead", {**CARRY, "posts": "3x32 tethered"}, "none needs to be carried"),
        ("which-lead", {**CARRY, "posts": "moon"}, "was not understood"),
        ("coded-plug", {"ohm": "218"}, "reads as a 32 A cable"),
        ("coded-plug", {"volts": "2", "supply": "5"}, "fits every code"),
        ("coded-plug", {"volts": "2", "supply": "5", "pull_up": "330"}, "220 Ω reads as a 32 A cable"),
        ("latch", {"volts": "2.76"}, "latch pressed"),
        ("lead", LEAD, "Plan with 32 A, 3 phases"),
        ("lead", {**LEAD, "print": "3x2,5"}, "overloaded"),
        ("chain", CHAIN, "3.68 kW"),
    ],
)
def test_answers(client: TestClient, tool: str, typed: dict[str, str], says: str) -> None:
    assert says in told(client, tool, **typed)


@pytest.mark.parametrize(
    ("tool", "typed", "says"),
    [
        ("duty", {"duty": "140"}, "between 0 and 100"),
        ("duty", {"duty": "lots"}, "Duty: a number was expected."),
        ("divider", {**DIVIDER, "source": "230"}, "up to 30 V was expected"),
        ("divider", {**DIVIDER, "series": "-1"}, "not negative"),
        ("coded-plug", {}, "A resistance, or a voltage, was expected."),
        ("coded-plug", {"ohm": "-4"}, "not negative"),
        ("coded-plug", {"volts": "6", "supply": "5"}, "between 0 and 5 V"),
        ("latch", {"volts": ""}, "a number was expected"),
        ("latch", {"volts": "nan"}, "beyond anything"),
        ("lead", {**LEAD, "print": "rubber"}, "no cores found"),
        ("lead", {**LEAD, "length": "0"}, "a length up to"),
        ("chain", {**CHAIN, "cable_p": "2.5"}, "1, 2 or 3 phases"),
        ("chain", {**CHAIN, "system": "x"}, "System: one of those offered"),
        ("chain", {**CHAIN, "offer": "1e400"}, "beyond anything"),
    ],
)
def test_nonsense_gets_a_sentence(client: TestClient, tool: str, typed: dict[str, str], says: str) -> None:
    assert says.lower() in told(client, tool, **typed).lower()


def test_without_scripts_the_page_itself_answers(client: TestClient) -> None:
    html = client.get("/bench", params={"tool": "latch", "volts": "1.5"}).text
    assert "plug in and latched" in html
    assert 'value="1.5"' in html


def test_an_unknown_calculator_is_refused(client: TestClient) -> None:
    assert client.get("/bench/horoscope").status_code == 404


def test_the_tuple_names_every_calculator_file() -> None:
    folder = Path(calculators.__file__).parent
    assert len(TOOLS) == len([p for p in folder.glob("*.py") if "TOOL = Tool(" in p.read_text()])
    assert len({t.key for t in TOOLS}) == len(TOOLS)
