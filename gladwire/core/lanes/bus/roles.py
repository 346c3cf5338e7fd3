"""What a signal is for: the role it plays in a session, guessed from its name until a person settles it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import NamedTuple

from gladwire.core.recognition.words import spoken_of


class SignalRole(NamedTuple):
    """quantity: of a power record, where the role is one. words: parts of names that speak for it, after `||` others
    that do if none of the first is found; against: that do not.

    unit: what a signal must be in to be guessed. state: it is on or off, and guessed only from signals of few bits.
    enumerated: it goes through several states with words of their own.
    """

    key: str
    title: str
    words: str
    unit: str = ""
    quantity: str = ""
    against: str = "^$"
    state: bool = False
    enumerated: bool = False


ROLES: tuple[SignalRole, ...] = (
    SignalRole("plug", "Plug detected", r"plug.?det|proximity|plugged|connector.?state", state=True),
    SignalRole("wake", "Controller awake", r"wake|terminal.?15|awake", state=True),
    SignalRole("lock", "Lock closed", r"lock", state=True, against=r"override|block"),
    SignalRole("lamp", "Lamp", r"(^|_)(lamp|led)(_|$)"),
    SignalRole("hv_present", "HV present line", r"hv.?present|charge.?present", state=True),
    SignalRole("precharge", "Pre-charge contactor", r"pre.?charge", state=True, against=r"volt|time|fault"),
    SignalRole("contactor", "Contactors closed", r"contactor|relay.?closed", state=True,
         against=r"pre.?charge|open|weld|fault|minus|neg"),
    SignalRole("contactor_open", "Contactors open", r"contactor.?open", state=True),
    SignalRole("state", "Controller's state", r"(charg\w*|ctrl|controller|evcc|ccs|bms|lade\w*|session).?"
         r"(state|status|mode|phase|zustand|etat|estado|stato|stan)$|^(state|status|mode|phase|zustand|etat|estado|stato)$",
         enumerated=True),
    SignalRole("enabled", "Vehicle allows charging", r"charging.?(enabled|allowed)|charge.?(enable|request)$", state=True),
    SignalRole("post_charging", "Post charges", r"^charging$|post.?ready", state=True),
    SignalRole("stop", "Stop", r"stop", state=True, against=r"before|reason"),
    SignalRole("pack_v", "Pack voltage", r"pack.?volt|batt(ery)?.?volt|hv.?volt", "V",
         against=r"max|min|target|request|limit|cell|aux|starter|12|(^|_)lv"),
    SignalRole("inlet_v", "Voltage at the inlet", r"inlet.?volt|link.?volt|charge.?volt|output.?volt|port.?volt", "V",
         "volts_v",
         against=r"max|min|target|request|limit|avail|thresh"),
    SignalRole("amps", "Current", r"curr", "A", "amps_a",
         against=r"max|min|req|limit|target|avail|dev|allow|motor|heat|fan|pump|dcdc|aux|lock|compr|leak"),
    SignalRole("asked_a", "Requested current", r"(req|target|demand).*curr|curr.*(req|target|demand)", "A", "asked_a"),
    SignalRole("asked_v", "Requested voltage", r"(req|target|demand).*volt|volt.*(req|target|demand)", "V", "asked_v"),
    SignalRole("post_max_a", "Current the post allows", r"(avail|post|evse).*curr|max.*curr.*(post|evse)", "A", "post_max_a",
         against=r"req|target"),
    SignalRole("post_max_v", "Voltage the post allows", r"(avail|post|evse).*volt", "V", "post_max_v", against=r"req|target"),
    SignalRole("driver_max_a", "Current the driver allows", r"(driver|user|custom|manual|own|fahrer|conducteur|usuario).*"
         r"(curr|limit|amp|strom)|(curr|limit|amp).*(driver|user|set.?by)", "A", against=r"avail|post|evse"),
    SignalRole("vehicle_max_a", "Current the pack takes", r"max.*curr|curr.*(max|limit)|allow.*curr", "A", "vehicle_max_a"),
    SignalRole("vehicle_max_v", "Voltage the pack takes", r"max.*(batt|pack|charge).*volt", "V"),
    SignalRole("soc", "State of charge", r"soc|state.?of.?charge|charged.?rate", "%", "soc_percent",
         against=r"refer|min|max|target"),
    SignalRole("pin_1_c", "Temperature of DC pin 1", r"pin.?(temp.*1|1.*temp|plus.*temp)|temp.*pin.?(1|plus)", "°C"),
    SignalRole("pin_2_c", "Temperature of DC pin 2", r"pin.?(temp.*2|2.*temp|minus.*temp)|temp.*pin.?(2|minus)", "°C"),
    SignalRole("pack_c", "Pack temperature", r"(pack|batt).*temp||cell.*temp", "°C", "pack_c", against=r"low|min|state|pin"),
)  # fmt: skip
BY_KEY: Mapping[str, SignalRole] = {r.key: r for r in ROLES}
_UNITS = {
    **dict.fromkeys(("degc", "celsius", "deg c", "deg_c", "degrees c", "c\u00b0", "\u2103", "c", "\u00b0c"), "\u00b0C"),
    **dict.fromkeys(("volt", "volts", "v", "vdc"), "V"),
    **dict.fromkeys(("amp", "amps", "ampere", "amperes", "a", "adc"), "A"),
    **dict.fromkeys(("percent", "pct", "prozent"), "%"),
}
_STATE_BITS, _ENUM_BITS, _LEAST_STATES = 4, 8, 4
# A state named so says that something is wrong while it is on.
FLAG_WORDS = re.compile(
    r"fault|malfunction|error|incompatib|over.?(volt|temp|curr)|deviation|wrong|fehler|st(oe|ö|o)rung|d[eé]faut|falla|fallo|falha"
    r"|guasto|(^|_)(fout|fejl|feil|fel|blad)(_|$)|awaria|usterka"
)
_SPLIT = re.compile(r"(?<=[a-z])(?=[A-Z])|_|\s")


def unit_words(unit: str) -> str:
    """A unit as it is written here, however the description spells it."""
    return _UNITS.get(unit.strip().lower(), unit)


def guess(signals: Iterable[tuple[str, str, int, int]]) -> dict[str, str]:
    """role key -> the signal's full name. signals: (`Message.Signal`, unit, bits, values that have words); each is given one
    role at most."""
    found: dict[str, str] = {}
    taken: set[str] = set()
    plain = [(full, _plain(full), unit_words(unit), bits, told) for full, unit, bits, told in signals]
    for role in ROLES:
        free = (
            full
            for words in role.words.split("||")
            for full, name, unit, bits, told in plain
            if full not in taken and _fits(role, words, name, unit, bits, told)
        )
        if (chosen := next(free, None)) is not None:
            found[role.key] = chosen
            taken.add(chosen)
    return found


def _plain(full: str) -> str:
    return "_".join(part.lower() for part in _SPLIT.split(full.rpartition(".")[2]) if part)


# A number without words is on from 1.
_WELL = re.compile(
    r"\b(none|no|ok|okay|normal|off|inactive|clear|false|keine?r?|nein|aus|inaktiv|aucun\w*|non|geen|nee|ingen|nej|nei"
    r"|ninguno|ninguna|inactivo|nenhum|nao|nessuno|inattivo|brak|nie)\b",
    re.IGNORECASE,
)
_OPEN = re.compile(r"\bopen(ed)?\b", re.IGNORECASE)


def is_on(role: str, value: float, choices: Mapping[int, str]) -> bool:
    """Whether a state holds. choices: words of its values, where the description has them, in any language known here; of two
    of which one is not understood, it is the opposite of the other."""
    word = choices.get(int(value), "") if float(value).is_integer() else ""
    if role == "contactor_open" and word:
        return bool(_OPEN.search(word))
    if not role and word:  # a warning: its word says what is wrong, or that nothing is
        return value >= 0.5 and not _WELL.search(word)
    if role != "lamp" and word:
        told = _says(word)
        if told is None and len(choices) == 2:
            others = {_says(other) for key, other in choices.items() if key != int(value)}
            told = next((not other for other in others if other is not None), None)
        if told is not None:
            return told
    return value >= 0.5


def _says(word: str) -> bool | None:
    """Whether a word says on or off; None where it says neither."""
    kinds = spoken_of(word)
    return False if "off" in kinds else True if "on" in kinds else None


def is_flag(full: str, unit: str, bits: int) -> bool:
    """Whether a signal is a warning of its sender."""
    return bits <= _STATE_BITS and not unit and bool(FLAG_WORDS.search(_plain(full)))


def _fits(role: SignalRole, words: str, name: str, unit: str, bits: int, words_told: int) -> bool:
    if role.unit != (unit if role.unit else "") or (role.state and (bits > _STATE_BITS or unit)):
        return False
    if role.enumerated and (bits > _ENUM_BITS or unit or words_told < _LEAST_STATES):
        return False
    return bool(re.search(words, name)) and not re.search(role.against, name)
