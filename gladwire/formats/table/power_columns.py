"""Which quantity of a power record a column is, by its name and unit, in any maker's words."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import NamedTuple

from gladwire.core.quantities import Place
from gladwire.core.recognition.words import plain

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
    "min": ("s", 60.0, 0.0), "minutes": ("s", 60.0, 0.0), "minuten": ("s", 60.0, 0.0),
    "mins": ("s", 60.0, 0.0), "h": ("s", 3600.0, 0.0),
    "hours": ("s", 3600.0, 0.0), "hr": ("s", 3600.0, 0.0), "std": ("s", 3600.0, 0.0),
    "stunden": ("s", 3600.0, 0.0), "sek": ("s", 1.0, 0.0), "sekunden": ("s", 1.0, 0.0),
    "minute": ("s", 60.0, 0.0), "hour": ("s", 3600.0, 0.0), "second": ("s", 1.0, 0.0), "stunde": ("s", 3600.0, 0.0),
    "sekunde": ("s", 1.0, 0.0), "minut": ("s", 60.0, 0.0), "minuter": ("s", 60.0, 0.0), "minutter": ("s", 60.0, 0.0),
    "minutos": ("s", 60.0, 0.0), "minuti": ("s", 60.0, 0.0), "minuty": ("s", 60.0, 0.0), "segundos": ("s", 1.0, 0.0),
    "secondes": ("s", 1.0, 0.0), "sekunder": ("s", 1.0, 0.0), "secondi": ("s", 1.0, 0.0), "seconden": ("s", 1.0, 0.0),
    "sekundy": ("s", 1.0, 0.0),
    "us": ("s", 1e-6, 0.0), "µs": ("s", 1e-6, 0.0),
    "d": ("s", 86400.0, 0.0),
}  # fmt: skip
NO_UNIT = ("", 1.0, 0.0)
# “0.1 V”: counts of a tenth of a volt; “V x10”: ten times the volts.
_COUNTS_OF = re.compile(r"(\d+(?:[.,]\d+)?)\s*([a-z%°]+)")
_TIMES = re.compile(r"([a-z%°]+)\s*[*x×]\s*(\d+)")
# Words of eleven languages (English, German, French, Dutch, Danish, Norwegian, Swedish, Spanish, Portuguese, Italian,
# Polish), without accents, as `plain` leaves them. Common practice, no source.
_TIME = re.compile(
    r"\b(time\w*|date|datetime|elapsed|clock|zeit\w*|\w*zeit|datum|dauer|heure|temps|horodatage|duree|hora|tiempo|fecha"
    r"|tempo|data|tid\w*|dato|klok\w*|klock\w*|tijd\w*|ora|orario|czas|godzina|t|ts)\b"
)
_SOC = re.compile(
    r"\b(soc|ev ?resssoc|state of charge|charge level|battery( level| state| charge)?|akku\w*|accu ?(niveau|stand)\w*"
    r"|ladestand|lade ?zustand|batteriestand|etat de charge|(charge|niveau) (de )?(la )?batterie|laad ?(toestand|niveau)"
    r"|lade ?(tilstand|niva)|batteri ?(niveau|niva|status)|laddning ?s?niva|estado de (la )?carga|bateria"
    r"|nivel de (la )?bateria"
    r"|stato (di|della) (ri)?carica|batteria|stan naladowania|poziom (naladowania|baterii)|battery pct)\b"
)
_SOC_SURE = re.compile(r"\b(soc|state of charge|ladestand|lade ?zustand|etat de charge|estado de (la )?carga)\b")
_POWER = re.compile(
    r"\b(\w*power|\w*leistung|puissance|potencia|potenza|\w*vermogen|\w*effekt|moc|charge rate|charging rate|kw|p)\b"
)
_ENERGY = re.compile(
    r"\b(\w*energy|\w*energie|energia|\w*energi|delivered|charged|added|geladen\w*|delivree|geleverd|levert|levererad"
    r"|\w*zahlerstand|meter ?(reading|stand)|\w*malerstand|matarstallning|releve( de)?( compteur)?|lectura|lettura"
    r"|stan licznika"
    r"|entregada|fornecida|erogata|pobrana|kwh|imported)\b"
)
_VOLTS = re.compile(
    r"\b(voltage\w*|volts?|\w*spannung|tension|tensione|tensao|voltaje|\w*spanning|\w*spaending|\w*spenning|\w*spanning"
    r"|napiecie|u|v|udc|vdc)\b"
)
_AMPS = re.compile(
    r"\b(current\w*|amps?|amperes?|\w*strom(starke)?|courant|intensite|intensidad|corriente|corrente|\w*stroom|\w*strom"
    r"|prad|i|idc|a)\b"
)
_TEMPERATURE = re.compile(r"\b(\w*temp\w*|t (pack|batt\w*|cell)|thermal)\b")
_ASKED = re.compile(
    r"\b(ask\w*|[iup]?(req|soll|dem|set|tgt)"
    r"|request\w*|req|target|demand\w*|setpoint|set point|soll\w*|desired|wanted|angeforder\w*|demande\w*|consigne"
    r"|gevraagd\w*|onsket|begart|solicitad\w*|pedid\w*|richiest\w*|zadan\w*)\b"
)
_LIMIT = re.compile(
    r"\b([iup]?max\w*|[iup]?lim"
    r"|limit\w*|allow\w*|avail\w*|cap|capab\w*|rated|\w*grenze|permitted|offer\w*|can take|verfugbar\w*|autorise\w*"
    r"|disponible|toegestaan|tilladt|tillatt?en?|tillaten|disponibile|consentit\w*|dozwolon\w*|dostepn\w*)\b"
)
_VEHICLE = re.compile(
    r"\b(vehicle|car|ev|bms|pack|\w*battery|batt|fahrzeug|auto|obd|in car|bord|vehicule|voiture|voertuig|bil\w*|kjoretoy"
    r"|fordon|vehiculo|coche|veiculo|carro|veicolo|pojazd|samochod)\b"
)
_POST = re.compile(
    r"\b(evse|post|\w*station|charger|dispenser|stall|pile|kiosk|column|\w*saule|borne|chargeur|laadpaal|lader|ladestander"
    r"|laddare|laddstolpe|estacion|cargador|posto|carregador|colonnina|caricatore|stacja|ladowarka|screen at post|output)\b"
)
_METER = re.compile(
    r"\b(meter|\w*zahler|compteur|\w*maler|matare|contador|contatore|licznik|clamp|shunt|analy[sz]er|logger)\b"
)
_CONNECTOR = re.compile(
    r"\b(connector|plug|pin\w*|inlet|cable|handle|lead|\w*stecker|contact\w*|prise|connecteur|stekker|stikk|kontakt|conector"
    r"|connettore|zlacze|wtyczk\w*)\b"
)
_AMBIENT = re.compile(
    r"\b(ambient\w*|outside|outdoor|air|weather|aussen\w*|au(ss|ß)en\w*|umgebung\w*|exterieur\w*|buiten\w*|ude\w*|ute\w*|exterior"
    r"|esterna|otoczenia|zewn\w*)\b"
)
_PACK = re.compile(r"\b(pack|\w*batt\w*|\w*akku\w*|\w*accu\w*|cell\w*|bms|hv|bateri\w*)\b")


class Meaning(NamedTuple):
    """quantity: of a power record, or "time". value × factor + offset is in its unit. sure: 2 by unit, 1 by name alone."""

    quantity: str
    place: Place
    factor: float
    offset: float
    sure: int


@lru_cache(maxsize=4096)
def unit_of(word: str) -> tuple[str, float, float] | None:
    """(kind, factor, offset) of a unit in lower case, with the scale told beside it; None of what is no unit."""
    if word in UNITS or not word:
        return UNITS.get(word)
    each, times = _COUNTS_OF.fullmatch(word), _TIMES.fullmatch(word)
    if each and each[2] in UNITS and float(each[1].replace(",", ".")) > 0:
        kind, factor, offset = UNITS[each[2]]
        return kind, factor * float(each[1].replace(",", ".")), offset
    if times and times[1] in UNITS and int(times[2]) > 0:
        kind, factor, offset = UNITS[times[1]]
        return kind, factor / int(times[2]), offset
    return None


def name_and_unit(text: str) -> tuple[str, str]:
    """“Power [kW]”, “Power (kW)”, “Power kW”, “power_kw” and “kW” to name and unit; unit "" where none is told."""
    match = re.match(r"^(.*?)\s*[\[(<]\s*([^\])>]+?)\s*[\])>]\s*(.*)$", text.strip())
    if match and unit_of(match.group(2).lower()):
        return f"{match.group(1)} {match.group(3)}".strip(), match.group(2).lower()
    words = re.split(r"[\s_,/]+", text.strip())
    # “Connector 2A” has a name and no unit of two amperes.
    told = words and unit_of(words[-1].lower()) and words[-1][0] not in "123456789"
    if told and (len(words) > 1 or len(words[-1]) > 1 or words[-1] in "%VA"):
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
    kind, factor, offset = unit_of(unit) or NO_UNIT
    place = _place(name)
    if kind == "s" or (not kind and _TIME.search(name)):
        return Meaning("time", "unknown", factor, 0.0, 2 if kind else 1)
    if kind == "c" or (not kind and _TEMPERATURE.search(name)):
        where = _where_warm(name)
        return Meaning(where, place, factor, offset, 2 if kind else 1) if where else None
    if kind in ("", "%") and _is_soc(name) and not (_LIMIT.search(name) or _ASKED.search(name)):
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


def _is_soc(name: str) -> bool:
    """“Battery” alone is its charge; “battery voltage” is none."""
    other = any(p.search(name) for p in (_VOLTS, _AMPS, _POWER, _TEMPERATURE))
    return _SOC.search(name) is not None and not (other and _SOC_SURE.search(name) is None)


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
