"""What the parts of a name speak of, in eleven languages (English, German, French, Dutch, Danish, Norwegian, Swedish,
Spanish, Portuguese, Italian, Polish) and in the usual abbreviations: of columns, channels and signals alike. Common
practice, no source.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping

# Words without accents. After ~ a word counts as the beginning or end of a compound too.
_WORDS: Mapping[str, str] = {
    "volts": "volt volts voltage v u udc vdc ~spannung spg tension tensione tensao ~spanning ~spaending ~spenning"
    " napiecie",
    "amps": "amp amps ampere amperes curr current crnt i idc ~strom courant corriente corrente ~stroom prad",
    "most": "max maximum mx limit lim lmt limitation avail available allow allowed permitted cap capability"
    " ~grenze zul",
    "asked": "req request requested rq target tgt tar demand dmd setpoint sp cmd command ~soll want asked demande"
    " consigne",
    "offer": "offer offers offered advertised angebot angeboten vorgabe offre oferta offerta aanbod aangeboden"
    " tilbud tilbudt erbjudande erbjuden oferowany",
    "post": "post evse station charger chrgr chgr supply secc offboard saeule borne lader",
    "vehicle": "pack batt ~battery bat bms hvb hv ress akku traction ev evcc vehicle veh",
    "inlet": "inlet link port out output dclink dc charge chg chrg lade socket terminal",
    "warm": "temp temps temperature tmp temperatur temperatura",
    "pin": "pin contact ct conn connector plug coupler ~stecker inlet",
    "plus": "pos positive plus p dcp",
    "minus": "neg negative minus n dcn",
    "soc": "soc rsoc socpercent ladezustand ladestand",
    "lock": "lock locks locked lck latch latched lckd ~verriegelung verriegelt verrou verrouillage bloqueo"
    " cerrojo bloqueio trava blocco serratura las lasning laas ~lasen blokada blokady ryglowanie rygiel"
    " ~vergrendeling grendel",
    "drive": "actuator motor mot aktor actionneur actuador attuatore silownik stellmotor",
    "position": "position pos ~stellung ~ruckmeldung feedback fb fbk switch sensor retour capteur posicion posicao"
    " posizione pozycja pozycji positie stilling lage micro microswitch ~schalter terugmelding",
    "pilot": "cp pilot pilote piloto pilota ~pilot pilotsignal",
    "contactor": "contactor contactors cntctr ctr relay relays rly relais schutz schuetz ~schutz ~schuetz k1 k2 k3"
    " hauptschuetz contacteur contattore contator stycznik rele relae kontaktor ~kontaktor"
    " magneetschakelaar",
    "mains": "l1 l2 l3 ul1 ul2 ul3 vl1 vl2 vl3 il1 il2 il3 mains phase netz netzspannung netzstrom netzphase"
    " reseau rete rede siec dered tensionred voltajered corrientered netspanning netspaending netspenning"
    " nettspenning natspanning netstroom netstrom nettstrom",
    "line": "line",
    "pre": "pre prechg precharge prechrg vorladung vorlade",
    "plugged": "prox proximity pp plugged inserted gesteckt mated plugdet plugpresent naherung proximite proximidad"
    " prossimita proximidade narhet naerhed naerhet nabijheid zblizenie zblizeniowy",
    # Of another circuit: the 12 V battery, one cell, a motor, a heater.
    "else": "aux auxiliary starter lv lvb cell cells motor mot heater heat ptc fan pump dcdc hvac compressor comp"
    " leak",
    # Of a scope's channel: what is measured beside the lanes this is about.
    "aside": "12v 24v kl30 kl15 kl31 t30 t15 bordnetz bord supply temp temps temperature temperatur temperatura hv"
    " hvp hvn pack batt ~battery bat bus zwischenkreis",
    # What a state's own words say.
    "on": "lukkede laast stengt stangd stengd closed on active locked engaged present plugged connected enabled"
    " ready charging yes true stopped geschlossen zu verriegelt gesteckt ein an aktiv ja wahr bereit laden"
    " ladt ferme verrouille branche marche actif oui vrai pret gesloten vergrendeld aangesloten aan actief"
    " waar gereed laadt lukket last tilsluttet tilkoblet til aktivt klar lader ansluten pa sann laddar"
    " cerrado bloqueado enchufado conectado encendido activo si verdadero listo cargando fechado travado"
    " ligado ativo sim pronto carregando chiuso bloccato inserito collegato acceso attivo vero zamkniety"
    " zablokowany podlaczony wlaczony aktywny tak prawda gotowy laduje",
    "off": "aaben aabent aapen apen oeppen open off inactive unlocked released none not no idle absent missing"
    " disconnected unplugged disabled closing opening invalid unknown sna unavailable standby false fault"
    " error offen entriegelt getrennt ausgesteckt aus inaktiv nein nicht kein falsch fehler ouvert"
    " deverrouille debranche arret inactif non pas faux erreur ungultig unbekannt geopend ontgrendeld"
    " losgekoppeld uit inactief nee niet fout aben opplast ulast frakoblet fra av inaktivt nei ikke falsk"
    " fejl feil oppen upplast olast urkopplad nej inte fel abierto desbloqueado desenchufado desconectado"
    " apagado inactivo falso fallo aberto destravado desligado inativo nao falha aperto sbloccato"
    " scollegato spento inattivo guasto otwarty odblokowany odlaczony wylaczony nieaktywny nie falsz blad",
    "wrong": "fault err error warn warning fail derate derating reason min minimum diff offset raw",
}  # fmt: skip
_SETS = {kind: frozenset(w for w in words.split() if w[0] != "~") for kind, words in _WORDS.items()}
_PARTS = {kind: tuple(w[1:] for w in words.split() if w[0] == "~") for kind, words in _WORDS.items()}
# A letter that is all of a name, as a meter writes it.
_LETTER = frozenset(["u", "i", "u1", "u2", "u3", "i1", "i2", "i3", "urms", "irms"])
_SPLIT = re.compile(r"[^\w]+|_|(?<=[a-z])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])|(?<=[A-Za-z])(?=\d)")
# Letters that are no letter with an accent; and what Polish ones become where their code page was taken for another.
_LETTERS = str.maketrans({"ø": "o", "æ": "ae", "å": "a", "ł": "l", "ß": "ss", "đ": "d", "¹": "a", "³": "l", "¿": "z"})


def without_accents(text: str) -> str:
    """A text in lower case, letters with accents as those without."""
    apart = unicodedata.normalize("NFKD", text.lower().translate(_LETTERS))
    return "".join(c for c in apart if not unicodedata.combining(c))


def plain(name: str) -> str:
    """A name in lower case words without accents: “Pack_Voltage”, “packVoltage” and “EVSEPresentVoltage” come apart alike."""
    split = re.sub(r"(?<=[A-Za-z])(?=[A-Z][a-z])", " ", name)
    return re.sub(r"[^\w%°/]+|_", " ", without_accents(split)).strip()


def spoken_of(name: str) -> frozenset[str]:
    """Kinds of things the parts of a name speak of, such as {"lock", "amps"}; empty for a name that means nothing."""
    parts = [without_accents(part) for part in _SPLIT.split(name) if part]
    joined = {"".join(parts[i : i + 2]) for i in range(len(parts) - 1)}
    every = {*parts, *joined}
    kinds = {kind for kind, words in _SETS.items() if words & every or _within(every, _PARTS[kind])}
    return frozenset(kinds | {"letter"} if "".join(parts) in _LETTER else kinds)


def _within(parts: set[str], ends: tuple[str, ...]) -> bool:
    return any(part.endswith(end) or part.startswith(end) for end in ends for part in parts)
