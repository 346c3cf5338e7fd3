"""Duty cycle to offered current and back: IEC 61851-1 Annex A and SAE J1772, from memory.

Ranges are in percent of the period, lower end included, upper end excluded unless it is the last of its kind.
"""

from __future__ import annotations

from typing import Literal, NamedTuple

from gladwire.core.standards.source import IEC_61851_DUTY, SAE_J1772, Source

Kind = Literal["none", "digital", "current", "not_ready"]


class DutyRange(NamedTuple):
    """One row: from/to in percent, what it means, and current = slope * (duty - zero) or a fixed value, in amperes."""

    from_percent: float
    to_percent: float
    kind: Kind
    means: str
    slope_a_per_percent: float = 0.0
    zero_percent: float = 0.0
    fixed_a: float = 0.0

    def current_a(self, duty_percent: float) -> float:
        return self.fixed_a + self.slope_a_per_percent * (duty_percent - self.zero_percent)


class DutyTable(NamedTuple):
    """A standard's whole table."""

    name: str
    rows: tuple[DutyRange, ...]
    source: Source


class Offer(NamedTuple):
    """What a duty means: current_a is None for digital communication, 0 where no charging is allowed."""

    kind: Kind
    current_a: float | None
    means: str


_BELOW = DutyRange(0.0, 3.0, "none", "no charging allowed")
_DIGITAL = DutyRange(3.0, 7.0, "digital", "digital communication required")
_GAP = DutyRange(7.0, 8.0, "none", "no charging allowed")
_SIX = DutyRange(8.0, 10.0, "current", "6 A", fixed_a=6.0)
_LINEAR = DutyRange(10.0, 85.0, "current", "0.6 A per percent", slope_a_per_percent=0.6)
_STEEP = DutyRange(85.0, 96.0, "current", "2.5 A per percent above 64 %", slope_a_per_percent=2.5, zero_percent=64.0)
_EIGHTY = DutyRange(96.0, 97.0, "current", "80 A", fixed_a=80.0)
_ABOVE = DutyRange(97.0, 100.0, "none", "no charging allowed")
_STEADY = DutyRange(100.0, 100.0, "not_ready", "steady high: post not ready to charge")

_ROWS = (_BELOW, _DIGITAL, _GAP, _SIX, _LINEAR, _STEEP, _EIGHTY, _ABOVE, _STEADY)
IEC = DutyTable("IEC 61851-1", _ROWS, IEC_61851_DUTY)
# As far as remembered the rows are the same; an edition that differs gets rows of its own here.
SAE = DutyTable("SAE J1772", _ROWS, SAE_J1772)
TABLES = (IEC, SAE)
# The ranges in words.
DIGITAL = f"{_DIGITAL.from_percent:g} to {_DIGITAL.to_percent:g} %"
CHARGING = f"{_SIX.from_percent:g} to {_EIGHTY.to_percent:g} %"

# At the ends of a range the better-known meaning wins: 7 % is still digital, 85 % is still 51 A.
_UPPER_END_INCLUDED = ("digital", "current")
# What the vehicle must allow for when it reads the duty.
VEHICLE_TOLERANCE_PERCENT = 1.0


# Currents posts are set to: common practice, no source.
USUAL_DIGITAL_PERCENT = 5.0
USUAL_OFFERS_A = (6.0, 8.0, 10.0, 13.0, 16.0, 20.0, 25.0, 32.0, 40.0, 48.0, 63.0, 80.0)


class Difference(NamedTuple):
    """A place where the two standards, as remembered, do not say the same."""

    topic: str
    iec: str
    sae: str


DIFFERENCES = (
    Difference("Duty to current", "the table above", "the same rows, as far as remembered"),
    Difference("Level of state B", "8 to 10 V", "8.36 to 9.59 V"),
    Difference("Level of state C", "5 to 7 V", "5.48 to 6.49 V"),
    Difference("Level of state D", "2 to 4 V", "2.62 to 3.25 V"),
    Difference("Level of state A", "11 to 13 V (source 11.4 to 12.6 V)", "11.40 to 12.60 V"),
    Difference("Above 63 A", "in the table, seldom used", "used by home posts up to 80 A"),
)


def row_for(duty_percent: float, table: DutyTable = IEC) -> DutyRange:
    """The row a duty falls into. Raises ValueError outside 0 to 100 %."""
    if not 0.0 <= duty_percent <= 100.0:
        raise ValueError(f"a duty cycle lies between 0 and 100 %, not {duty_percent:g} %")
    if duty_percent == 100.0:
        return table.rows[-1]
    for row in table.rows:
        if row.from_percent <= duty_percent < row.to_percent:
            return row
        if duty_percent == row.to_percent and row.kind in _UPPER_END_INCLUDED:
            return row
    raise ValueError(f"{table.name} has no row for {duty_percent:g} %")  # pragma: no cover - rows leave no hole


def offer(duty_percent: float, table: DutyTable = IEC) -> Offer:
    """What a duty offers. Amperes per phase; see `Offer`."""
    row = row_for(duty_percent, table)
    if row.kind == "current":
        return Offer(row.kind, round(row.current_a(duty_percent), 3), row.means)
    return Offer(row.kind, None if row.kind == "digital" else 0.0, row.means)


def duties_for(current_a: float, table: DutyTable = IEC) -> tuple[float, ...]:
    """Every nominal duty (percent) that offers this current: two where ranges overlap, none below 6 or over 80 A."""
    found = []
    for row in table.rows:
        if row.kind != "current" or not row.slope_a_per_percent:
            continue
        duty = row.zero_percent + (current_a - row.fixed_a) / row.slope_a_per_percent
        duty = round(duty, 3)
        # At 85 % the lower row holds, so 52.5 A has no duty of its own.
        if row.from_percent <= duty <= row.to_percent and abs(row_for(duty, table).current_a(duty) - current_a) < 0.01:
            found.append(duty)
    return tuple(found)


def usual_offers_a(duty_percent: float, doubt_percent: float) -> tuple[float, ...]:
    """The usual currents whose duty lies inside the doubt, the least first."""
    return tuple(a for a in USUAL_OFFERS_A if any(abs(d - duty_percent) <= doubt_percent for d in duties_for(a)))


def edge_distance_percent(duty_percent: float, table: DutyTable = IEC) -> float:
    """Distance in percent to the nearest end of the row the duty falls into."""
    row = row_for(duty_percent, table)
    return min(duty_percent - row.from_percent, row.to_percent - duty_percent)
