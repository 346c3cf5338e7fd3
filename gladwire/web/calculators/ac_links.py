"""The chain of AC limits: which link binds and what changing it would bring."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple, cast

from gladwire.core.calculations.ac_chain import LINK_WORDS, Chain, Limit, System, chain, power_kw
from gladwire.core.standards.source import PRACTICE
from gladwire.web.calculators.tool import Field, Tool, number

_SYSTEMS = (("230/400", "230/400 V"), ("120/240", "120/240 V split"), ("120/208", "120/208 V"))


class Answer(NamedTuple):
    """The chain, and (words, amperes, phases, power alone in kW, binds, gain in kW) of each link in order."""

    chain: Chain
    links: list[tuple[str, float, str, float, bool, float]]


def answer(typed: Mapping[str, str]) -> Answer:
    system = typed.get("system", "")
    if system not in dict(_SYSTEMS):
        raise ValueError("System: one of those offered was expected")
    offer = number(typed, "offer", "Offer")
    limits = {
        name: Limit(number(typed, f"{name}_a", words), _phases(typed, f"{name}_p", words))
        for name, words in (("cable", "Cable"), ("supply", "Supply"), ("onboard", "On-board charger"))
    }
    seen = chain(cast(System, system), offer, limits["cable"], limits["supply"], limits["onboard"])
    links = []
    for link, words in LINK_WORDS.items():
        limit = limits.get(link)
        phases = f"{limit.phases} ph" if limit else ""
        amps = limit.current_a if limit else offer
        # The offer names no phases: they are the supply's.
        count = min((limit or limits["supply"]).phases, 3 if system == "230/400" else 2)
        alone = power_kw(cast(System, system), count, amps)
        links.append((words, amps, phases, alone, link in seen.binding, seen.gains_kw[link]))
    return Answer(seen, links)


def _phases(typed: Mapping[str, str], name: str, words: str) -> int:
    value = number(typed, name, f"{words}, phases")
    if value not in (1, 2, 3):
        raise ValueError(f"{words}: 1, 2 or 3 phases were expected")
    return int(value)


TOOL = Tool(
    "chain",
    "AC chain",
    "Offer, cable, supply and on-board charger: the least wins.",
    (
        Field("system", "System", "230/400", "", _SYSTEMS),
        Field("offer", "Offer by duty", "32", "A"),
        Field("cable_a", "Cable", "32", "A"),
        Field("cable_p", "Cable", "1", "phases"),
        Field("supply_a", "Supply", "32", "A"),
        Field("supply_p", "Supply", "3", "phases"),
        Field("onboard_a", "On-board charger", "16", "A"),
        Field("onboard_p", "On-board charger", "3", "phases"),
    ),
    answer,
    (PRACTICE,),
)
