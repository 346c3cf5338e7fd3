"""Which quantity of a power record a column is, by its name and unit, in any maker's words."""

from __future__ import annotations

import re
from typing import NamedTuple

from gladwire.core.quantities import Place

# Unit as written, lower case, to (kind, factor, offset): value × factor + offset is in the kind's own unit.
UNITS: dict[str, tuple[str, float, float]] = {
    "kw": ("kw", 1.0, 0.0), "w": ("kw", 1e-3, 0.0), "mw": ("kw", 1e3, 0.0), "kilowatt": ("kw", 1.0, 0.0),
    "kwh": ("kwh", 1.0, 0.0), "wh": ("kwh", 1e-3, 0.0), "mwh": ("kwh", 1e3, 0.0),
    "v": ("v", 1.0, 0.0), "volt": ("v", 1.0, 0.0), "volts": ("v", 1.0, 0.0), "kv": ("v", 1e3, 0.0),
    "a": ("a", 1.0, 0.0), "amp": ("a", 1.0, 0.0), "amps": ("a", 1.0, 0.0), "ka": ("a", 1e3, 0.0), "adc": ("a", 1.0, 0.0),
    "vdc": ("v", 1.0, 0.0), "ma": ("a", 1e-3, 0.0),
    "%": ("%", 1.0, 0.0), "percent": ("%", 1.0, 0.0), "pct": ("%", 1.0, 0.0),
    "°c": ("c", 1.0, 0.0), "c": ("c", 1.0, 0.0), "degc": ("c", 1.0, 0.0), "celsius": ("c", 1.0, 0.0),
    "°f": ("c", 5 / 9, -160 / 9), "f": ("c", 5 / 9, -160 / 9), "degf": ("c", 5 / 9, -160 / 9), "k": ("c", 1.0, -273.15),
    "s": ("s", 1.0, 0.0), "sec": ("s", 1.0, 0.0), "seconds": ("s", 1.0, 0.0), "ms": ("s", 1e-3, 0.0),
    "min": ("s", 60.0, 0.0), "minutes": ("s", 60.0, 0.0), "mins": ("s", 60.0, 0.0), "h": ("s", 3600.0, 0.0),
    "hours": ("s", 3600.0, 0.0),
}  # fmt: skip
_TIME = re.compile(
    r"\b(time|timestamp|date|datetime|elapsed|clock|zeit|uhrzeit|dauer|heure|temps|hora|tiempo|tid|t|ts)\b"
)
_SOC = re.compile(
    r"\b(soc|ev ?resssoc|state of charge|charge level|battery( level| state| charge)?|akku\w*|ladestand|ladezustand"
    r"|etat de charge|battery pct)\b"
)
_POWER = re.compile(r"\b(power|leistung|puissance|potencia|charge rate|charging rate|kw|p)\b")
_ENERGY = re.compile(r"\b(energy|energie|energ[ií]a|delivered|charged|added|kwh|imported)\b")
_VOLTS = re.compile(r"\b(voltage|volts?|spannung|tension|u|v|udc|vdc)\b")
_AMPS = re.compile(r"\b(current|amps?|amperes?|strom(st[aä]rke)?|courant|i|idc|a)\b")
_TEMPERATURE = re.compile(r"\b(temp\w*|t (pack|batt\w*|cell)|thermal)\b")
_ASKED = re.compile(r"\b(ask\w*|request\w*|req|target|demand\w*|setpoint|set point|soll|desired|wanted|angefordert)\b")
_LIMIT = re.compile(r"\b(max\w*|limit\w*|allow\w*|avail\w*|cap|capab\w*|rated|grenze|permitted|offer\w*|can take)\b")
_VEHICLE = re.compile(r"\b(vehicle|car|ev|bms|pack|battery|batt|fahrzeug|auto|obd|in car|bord)\b")
_POST = re.compile(
    r"\b(evse|post|station|charger|dispenser|stall|pile|kiosk|column|s[aä]ule|borne|screen at post|output)\b"
)
_METER = re.compile(r"\b(meter|z[aä]hler|clamp|shunt|analy[sz]er|logger)\b")
_CONNECTOR = re.compile(r"\b(connector|plug|pin\w*|inlet|cable|handle|lead|stecker|contact\w*)\b")
_AMBIENT = re.compile(r"\b(ambient|outside|outdoor|air|weather|aussen|au(ss|ß)en)\b")
_PACK = re.compile(r"\b(pack|battery|batt|cell\w*|bms|hv)\b")


class Meaning(NamedTuple):
    """quantity: of a power record, or "time". value × factor + offset is in its unit. sure: 2 by unit, 1 by name alone."""

    quantity: str
    place: Place
    factor: float
    offset: float
    sure: int


def plain(name: str) -> str:
    """A name in lower case words: “Pack_Voltage”, “packVoltage” and “EVSEPresentVoltage” come apart alike."""
    split = re.sub(r"(?<=[A-Za-z])(?=[A-Z][a-z])", " ", name)
    return re.sub(r"[^\w%°/ßäöü]+|_", " ", split.lower()).strip()


def name_and_unit(text: str) -> tuple[str, str]:
    """“Power [kW]”, “Power (kW)”, “Power kW”, “power_kw” and “kW” to name and unit; unit "" where none is told."""
    match = re.match(r"^(.*?)\s*[\[(]\s*([^\])]+?)\s*[\])]\s*(.*)$", text.strip())
    if match and match.group(2).lower() in UNITS:
        return f"{match.group(1)} {match.group(3)}".strip(), match.group(2).lower()
    words = re.split(r"[\s_,/]+", text.strip())
    if words and words[-1].lower() in UNITS and (len(words) > 1 or len(words[-1]) > 1 or words[-1] in "%VA"):
        return " ".join(words[:-1]), words[-1].lower()
    if text.strip().startswith("%"):
        return text.strip()[1:].strip(), "%"
    if text.strip().endswith("%"):
        return text.strip()[:-1].strip(), "%"
    return text.strip(), ""


def meaning_of(header: str) -> Meaning | None:
    """What a column is, None for one a power record has no use for."""
    named, unit = name_and_unit(header)
    name = plain(named)
    kind, factor, offset = UNITS.get(unit, ("", 1.0, 0.0))
    place = _place(name)
    if kind == "s" or (not kind and _TIME.search(name)):
        return Meaning("time", "unknown", factor, 0.0, 2 if kind else 1)
    if kind == "c" or (not kind and _TEMPERATURE.search(name)):
        where = _where_warm(name)
        return Meaning(where, place, factor, offset, 2 if kind else 1) if where else None
    if kind in ("", "%") and _SOC.search(name) and not (_LIMIT.search(name) or _ASKED.search(name)):
        return Meaning("soc_percent", place if place != "unknown" else "vehicle", factor, 0.0, 2)
    if kind == "%" and not name:
        return Meaning("soc_percent", "vehicle", factor, 0.0, 1)
    measure = {"kw": "kw", "kwh": "kwh", "v": "v", "a": "a"}.get(kind) or _by_name(name, kind)
    if not measure:
        return None
    if measure == "kwh":
        if _LIMIT.search(name) and not re.search(r"\b(delivered|charged|added|energy)\b", name):
            return None
        return Meaning("energy_kwh", place, factor, 0.0, 2 if kind else 1)
    return Meaning(_with_role(name, measure), place, factor, 0.0, 2 if kind else 1)


def _by_name(name: str, kind: str) -> str:
    if kind:
        return ""
    for measure, pattern in (("kwh", _ENERGY), ("kw", _POWER), ("v", _VOLTS), ("a", _AMPS)):
        if pattern.search(name):
            return measure
    return ""


def _with_role(name: str, measure: str) -> str:
    present = {"kw": "power_kw", "v": "volts_v", "a": "amps_a"}[measure]
    if _ASKED.search(name):
        return f"asked_{measure}"
    if _LIMIT.search(name):
        # Whose limit it is, is said first: “the most the vehicle takes from the post”.
        vehicle, post = _VEHICLE.search(name), _POST.search(name)
        if vehicle and (post is None or vehicle.start() < post.start()):
            return f"vehicle_max_{measure}" if measure != "v" else "asked_v"
        return f"post_max_{measure}"
    return present


def _place(name: str) -> Place:
    """Where a column was read: the last of the words that tell a place."""
    patterns: tuple[tuple[Place, re.Pattern[str]], ...] = (("vehicle", _VEHICLE), ("post", _POST), ("meter", _METER))
    found = [(m.start(), place) for place, pattern in patterns for m in pattern.finditer(name)]
    return max(found)[1] if found else "unknown"


def _where_warm(name: str) -> str:
    if _AMBIENT.search(name):
        return "ambient_c"
    if _CONNECTOR.search(name):
        return "connector_c"
    return "pack_c" if _PACK.search(name) else ""


def place_in(text: str) -> Place | None:
    """Where a file says it was read: a line such as “read at: post” or “Source = vehicle display”."""
    match = re.search(
        r"\b(read at|source|read|display|measured at|recorded at|place|where)\b\s*[:=,;]\s*(.{1,40})", text.lower()
    )
    if not match:
        return None
    found = _place(plain(match.group(2)))
    return None if found == "unknown" else found
