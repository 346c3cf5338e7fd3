"""Connector faces: contacts, where they sit, and what may be done at each. Positions from memory of the standards.

Coordinates are millimetres or near enough to draw by, x to the right and y downward, looking at the mating face of the
plug on the cable. Seen from the cable side, or at an inlet or socket, left and right change places. The letters moulded
beside the contacts decide.
"""

from __future__ import annotations

from typing import Literal, NamedTuple

from gladwire.core.standards.source import IEC_62196_2, IEC_62196_3, IEC_63379, SAE_J1772, SAE_J3400, Source

Part = Literal["plug", "inlet"]
Side = Literal["mating", "cable"]
Kind = Literal["signal", "earth", "power"]


class Pin(NamedTuple):
    """A contact. kind: power contacts are never probed live; note: what it is for."""

    name: str
    x: float
    y: float
    radius: float
    kind: Kind
    note: str


class Connector(NamedTuple):
    """A connector's face. outline: SVG path around the contacts, in the same coordinates; width, height: of the drawing.

    inlet_name: what its counterpart is called.
    """

    key: str
    title: str
    pins: tuple[Pin, ...]
    outline: str
    width: float
    height: float
    inlet_name: str
    source: Source


_CP = "control pilot: probe tip here, reference on PE"
_PP = "proximity: ohms or volts to PE; a substitute resistor goes between PP and PE"
_PE = "protective earth: reference of pilot and proximity"
_L = "mains: never probed live, dead tests only"
_DC = "DC power: never probed, dead tests only after the link is discharged"


def _signal(name: str, x: float, y: float, note: str, radius: float = 2.2) -> Pin:
    return Pin(name, x, y, radius, "signal", note)


def _power(name: str, x: float, y: float, radius: float, note: str = _L) -> Pin:
    return Pin(name, x, y, radius, "power", note)


def _earth(x: float, y: float, radius: float) -> Pin:
    return Pin("PE", x, y, radius, "earth", _PE)


def _type_1(x: float = 0.0, y: float = 0.0) -> tuple[Pin, ...]:
    return (
        _power("L1", x - 7.9, y - 6.7, 3.6),
        _power("L2/N", x + 7.9, y - 6.7, 3.6),
        _signal("PP", x - 10.6, y + 4.6, _PP),
        _signal("CP", x + 10.6, y + 4.6, _CP),
        _earth(x, y + 10.2, 3.2),
    )


def _type_2(x: float = 0.0, y: float = 0.0, mains: bool = True) -> tuple[Pin, ...]:
    signals = (_signal("CP", x - 6.5, y - 13.0, _CP, 2.6), _signal("PP", x + 6.5, y - 13.0, _PP, 2.6))
    phases = (
        _power("L1", x - 16.0, y, 4.2),
        _power("N", x + 16.0, y, 4.2),
        _power("L2", x - 8.8, y + 14.0, 4.2),
        _power("L3", x + 8.8, y + 14.0, 4.2),
    )
    return (*signals, *(phases if mains else ()), _earth(x, y, 4.2))


_TYPE_1_OUTLINE = "M-21 0A21 21 0 1 1 21 0A21 21 0 1 1 -21 0Z"
_TYPE_2_OUTLINE = "M-20 -20H20C28 -14 31 -6 31 2A31 31 0 0 1 -31 2C-31 -6 -28 -14 -20 -20Z"
_DC_OUTLINE = "M-16 {0}H16A12 12 0 0 1 16 {1}H-16A12 12 0 0 1 -16 {0}Z"

CONNECTORS: tuple[Connector, ...] = (
    Connector("type1", "Type 1", _type_1(), _TYPE_1_OUTLINE, 60, 56, "inlet", SAE_J1772),
    Connector("type2", "Type 2", _type_2(), _TYPE_2_OUTLINE, 76, 68, "inlet or socket", IEC_62196_2),
    Connector(
        "ccs1",
        "CCS1",
        (*_type_1(0, -14), _power("DC−", -13.5, 20, 6.0, _DC), _power("DC+", 13.5, 20, 6.0, _DC)),
        "M-21 -14A21 21 0 1 1 21 -14A21 21 0 1 1 -21 -14Z" + _DC_OUTLINE.format(8, 32),
        76,
        92,
        "inlet",
        IEC_62196_3,
    ),
    Connector(
        "ccs2",
        "CCS2",
        (*_type_2(0, -16, mains=False), _power("DC−", -13.5, 30, 6.0, _DC), _power("DC+", 13.5, 30, 6.0, _DC)),
        "M-20 -36H20C28 -30 31 -22 31 -14A31 31 0 0 1 -31 -14C-31 -22 -28 -30 -20 -36Z" + _DC_OUTLINE.format(18, 42),
        80,
        108,
        "inlet",
        IEC_62196_3,
    ),
    Connector(
        "j3400",
        "J3400",
        (
            _power("L1/DC+", -8.2, -5.5, 5.0, "mains or DC power: never probed live, dead tests only"),
            _power("L2/DC−", 8.2, -5.5, 5.0, "mains or DC power: never probed live, dead tests only"),
            _signal("CP", -9.6, 8.4, _CP),
            _earth(0, 9.6, 3.2),
            _signal("PP", 9.6, 8.4, _PP),
        ),
        "M-13 -15H13A9 9 0 0 1 21 -6C21 8 14 17 0 19C-14 17 -21 8 -21 -6A9 9 0 0 1 -13 -15Z",
        62,
        54,
        "inlet",
        SAE_J3400,
    ),
    Connector(
        "mcs",
        "MCS",
        (
            _power("DC+", -18, -12, 9.0, _DC),
            _power("DC−", 18, -12, 9.0, _DC),
            _earth(0, 8, 6.0),
            _signal("CE", -12, 20, "charge enable, the megawatt connector's own pilot"),
            _signal("ID", 12, 20, "insertion detection"),
            _signal("COM+", -6, 28.5, "Ethernet pair, in place of power line communication"),
            _signal("COM−", 6, 28.5, "Ethernet pair, in place of power line communication"),
        ),
        "M-30 -28H30A10 10 0 0 1 39 -14L12 34A14 14 0 0 1 -12 34L-39 -14A10 10 0 0 1 -30 -28Z",
        96,
        84,
        "inlet",
        IEC_63379,
    ),
)
BY_KEY = {connector.key: connector for connector in CONNECTORS}


def mirrored(part: Part, side: Side) -> bool:
    """Whether left and right change places against the plug's mating face."""
    return (part == "inlet") != (side == "cable")


def pin_named(connector: Connector, name: str) -> Pin:
    """Raises KeyError for a contact the connector does not have."""
    found = next((pin for pin in connector.pins if pin.name == name), None)
    if found is None:
        raise KeyError(f"{connector.title} has no contact {name}")
    return found


def place_words(place: str) -> tuple[str, str]:
    """(contact, connector and part in words) of a place such as “type2/inlet/CP”."""
    key, _, rest = place.partition("/")
    part, _, pin = rest.partition("/")
    if key not in BY_KEY:
        return pin or place, "connector"
    return pin, f"{BY_KEY[key].title} {BY_KEY[key].inlet_name if part == 'inlet' else 'plug'}"
