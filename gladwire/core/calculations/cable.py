"""AC leads: what the sheath says, what it can carry, what it loses, and where print, cores and coding contradict."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Literal, NamedTuple

from gladwire.core.calculations.proximity import CodedReading, read_ohms
from gladwire.core.standards.conductors import COPPER_PER_K, LEAD_CURRENT_A, RESISTANCE_OHM_PER_KM

_CORES = re.compile(r"(\d+)\s*(?:[x×*GgXx]|G)\s*(\d+(?:[.,]\d+)?)", re.IGNORECASE)


class Cores(NamedTuple):
    """Power cores (PE included) and signal cores as printed on a sheath; sections in mm²."""

    power: int
    section_mm2: float
    signal: int
    signal_mm2: float | None

    @property
    def phases(self) -> int:
        """Phases the power cores allow: 3 of five cores (L1 L2 L3 N PE), else 1."""
        return 3 if self.power >= 5 else 1


def read_print(text: str) -> Cores:
    """Read “5G6 + 2x0.5 mm²” or “3 × 2,5”. Raises ValueError where no cores are found."""
    groups = [(int(n), float(s.replace(",", "."))) for n, s in _CORES.findall(text)]
    if not groups:
        raise ValueError(f"no cores found in “{text}”; something like 5G6 + 2x0.5 was expected")
    power = max(groups, key=lambda g: g[1])
    if power[0] < 3:
        raise ValueError("a lead needs at least three power cores: phase, neutral and PE")
    signal = next((g for g in groups if g is not power), None)
    return Cores(power[0], power[1], signal[0] if signal else 0, signal[1] if signal else None)


def resistance_ohm(section_mm2: float, length_m: float, temperature_c: float = 20.0) -> float:
    """Resistance of one conductor. Raises KeyError for a cross-section that is not in the table."""
    cold = RESISTANCE_OHM_PER_KM[section_mm2] * length_m / 1000
    return cold * (1 + COPPER_PER_K * (temperature_c - 20.0))


class Drop(NamedTuple):
    """Voltage lost between post and vehicle on one phase (V, and share of the phase voltage), and heat in watts."""

    volts: float
    share: float
    watts: float


def drop(
    section_mm2: float, length_m: float, current_a: float, phases: Literal[1, 3], phase_v: float = 230.0,
    temperature_c: float = 20.0,
) -> Drop:  # fmt: skip
    """Single phase: there and back through the neutral. Three balanced phases: the neutral carries nothing."""
    one = resistance_ohm(section_mm2, length_m, temperature_c)
    volts = current_a * one * (2 if phases == 1 else 1)
    return Drop(volts, volts / phase_v, current_a**2 * one * (2 if phases == 1 else 3))


# Amperes by code and by cores of the lead most met: 680 Ω on 2.5 mm². Common practice, no source.
_USUAL_PAIR = (20.0, 16.0)


class Remark(NamedTuple):
    """One judgement about a lead. grave: it must not be used as it is."""

    grave: bool
    text: str


class Lead(NamedTuple):
    """What is known of a lead. None: not read. contacts: phase contacts seen in the plug (1 or 3)."""

    cores: Cores | None = None
    rating_a: float | None = None
    code_ohm: float | None = None
    contacts: int | None = None


class LeadVerdict(NamedTuple):
    """current_a and phases are what may be planned with; known is False where they are only probable."""

    current_a: float | None
    phases: int | None
    known: bool
    remarks: tuple[Remark, ...]


def judge(lead: Lead) -> LeadVerdict:
    """Weigh print, rating, coding and contacts against each other; the least holds."""
    by_section = LEAD_CURRENT_A.get(lead.cores.section_mm2) if lead.cores else None
    code = read_ohms(lead.code_ohm) if lead.code_ohm is not None else None
    by_code = code.code.current_a if code and code.code else None
    limits = [a for a in (lead.rating_a, by_section, by_code) if a is not None]
    known = lead.cores is not None and (lead.rating_a is not None or by_code is not None)
    remarks = (*_of_code(code), *_of_currents(lead.rating_a, by_section, by_code), *_of_cores(lead))
    if not known:
        text = "Probable, not known: read the sheath, or test continuity of every contact end to end, dead."
        remarks = (*remarks, Remark(False, text))
    phases = lead.cores.phases if lead.cores else lead.contacts
    return LeadVerdict(min(limits) if limits else None, phases, known, remarks)


def _of_code(code: CodedReading | None) -> Iterator[Remark]:
    if code and not code.code:
        yield Remark(True, f"The code cannot be used: {code.text}")
    elif code and code.disagree:
        yield Remark(False, code.warning)


def _of_currents(rating: float | None, by_section: float | None, by_code: float | None) -> Iterator[Remark]:
    if (by_code, by_section) == _USUAL_PAIR:
        yield Remark(False, "680 Ω on 2.5 mm² cores: usual for leads sold as 16 or 20 A. Plan with 16 A.")
    elif by_code and by_section and by_code > by_section:
        yield Remark(True, f"Coded for {by_code:g} A on cores sold for {by_section:g} A: the lead would be overloaded.")
    if by_code and by_section and by_code < by_section:
        text = f"Coded for {by_code:g} A although its cores are sold for {by_section:g} A: slower than it could be."
        yield Remark(False, text)
    if rating and by_section and rating > by_section:
        yield Remark(True, f"Rated {rating:g} A on cores sold for {by_section:g} A.")
    if rating and by_code and by_code > rating:
        yield Remark(True, f"Coded for {by_code:g} A, more than the {rating:g} A it is rated for.")


def _of_cores(lead: Lead) -> Iterator[Remark]:
    if lead.cores and lead.contacts and lead.contacts > lead.cores.phases:
        seen = f"{lead.contacts} phase contacts but cores for {lead.cores.phases}"
        yield Remark(False, f"{seen}: metal in a cavity does not prove a core behind it.")
    if lead.cores and lead.cores.signal == 0:
        yield Remark(False, "No signal core was read: without one there is no control pilot.")
