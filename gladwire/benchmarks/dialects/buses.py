"""A seeded factory of bus logs: one known charge, described as strangers describe their buses. The frames are laid out and
the values packed by cantools, which also reads the description; names follow many habits, and none.
"""

from __future__ import annotations

import random
from typing import Any

import can
import cantools
import numpy as np

from gladwire.core.can.names import read_names
from gladwire.core.lanes.bus.record import CanRecord, measure_can
from gladwire.formats.can_logs import gather

# role -> names people give it. Common practice, no source; the last is a word that means nothing.
NAMES: dict[str, tuple[str, ...]] = {
    "pack_v": (
        "BattVolts",
        "PackV",
        "HVB_U",
        "BMS_Voltage",
        "UBatt",
        "bat_voltage",
        "Batteriespannung_Akku_U",
        "TensionBatt",
        "Krz1",
    ),
    "inlet_v": ("InletV", "DCLinkVolts", "PortU", "ChgVoltage", "LinkSpannung", "OutputVolts", "dc_link_u", "Krz2"),
    "amps": ("ChgAmps", "DC_I", "BattCurr", "IBatt", "ChargeI", "LadeStrom", "CourantBatt", "Krz3"),
    "asked_a": ("ReqAmps", "TgtCurrent", "CurrentDemand", "I_Req", "SollStrom", "ChgCurrSetpoint", "Krz4"),
    "asked_v": ("ReqVolts", "TgtVoltage", "VoltDemand", "U_Req", "SollSpannung", "Krz5"),
    "post_max_a": ("PostMaxAmps", "EVSE_AvailCurrent", "StationILimit", "ChargerMaxCurr", "Krz6"),
    "vehicle_max_a": ("PackMaxAmps", "BMS_ILimit", "BattMaxCurr", "VehMaxCurrent", "Krz7"),
    "soc": ("SoC", "BMS_SOC", "BattSoc", "Ladezustand_SOC", "Krz8"),
    "pin_1_c": ("PosPinTemp", "TempPinPlus", "PinTempPos", "ContactPos_Temp", "Krz9"),
    "pin_2_c": ("NegPinTemp", "TempPinMinus", "PinTempNeg", "ContactNeg_Temp", "Krz10"),
    "contactor": ("MainContactor", "HVRelay", "ContactorState", "Hauptschuetz", "Krz11"),
    "lock": ("LatchState", "LockFb", "VerriegelungStatus", "InletLck", "Krz12"),
}
UNITS = {"pack_v": "V", "inlet_v": "V", "amps": "A", "asked_a": "A", "asked_v": "V", "post_max_a": "A", "vehicle_max_a": "A",
         "soc": "%", "pin_1_c": "degC", "pin_2_c": "degC", "contactor": "", "lock": ""}  # fmt: skip
SPELLED = {
    "V": ("V", "Volt", "v"),
    "A": ("A", "Amps", "a"),
    "%": ("%", "percent"),
    "degC": ("degC", "°C", "C"),
    "": ("",),
}
# Words of a state's values, off and on.
WORDS: dict[str, tuple[tuple[str, str], ...]] = {
    "contactor": (("Open", "Closed"), ("Offen", "Geschlossen"), ("Ouvert", "Ferme"), ("Abierto", "Cerrado"),
                  ("Open", "Gesloten"), ("Aaben", "Lukket"), ("Oppen", "Stangd"), ("Aperto", "Chiuso"),
                  ("Otwarty", "Zamkniety"), ("Offen", "Qy"), ("Qx", "Qy")),
    "lock": (("Unlocked", "Locked"), ("Entriegelt", "Verriegelt"), ("Deverrouille", "Verrouille"),
             ("Desbloqueado", "Bloqueado"), ("Ontgrendeld", "Vergrendeld"), ("Sbloccato", "Bloccato"),
             ("NotLocked", "Locked"), ("Zx", "Zy")),
}  # fmt: skip
# Groups that may be pages of one message.
_PAGED = (2, 3)
GROUPS = (("pack_v", "amps", "soc"), ("inlet_v", "contactor", "lock"), ("asked_a", "asked_v"), 
          ("post_max_a", "vehicle_max_a"), ("pin_1_c", "pin_2_c"))  # fmt: skip


def course(rng: random.Random) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """(seconds, values of each role): pre-charge, contactors, a ramp, a level, an end."""
    t = np.arange(0.0, 90.0, 0.1)
    noise = np.random.default_rng(rng.randrange(2**31))
    pack = rng.choice((312.0, 371.0, 402.0, 640.0))
    level = rng.choice((35.0, 80.0, 125.0))
    asked = np.where((t > 20) & (t < 80), np.clip((t - 20) * 12, 0, level), 0.0)
    flows = np.where((t > 21) & (t < 80.5), np.clip((t - 21) * 12, 0, level), 0.0)
    flows = np.where(flows > 0, flows + noise.normal(0, 0.3, len(t)), 0.0)
    charged = np.cumsum(flows) * 0.1 / 3600.0
    volts = pack + 0.02 * flows + 3 * charged + noise.normal(0, 0.15, len(t))
    inlet = np.where(
        t < 12, 0.5, np.where(t < 80.5, np.clip((t - 12) * 90, 0, volts), np.clip(volts - (t - 80.5) * 60, 2, None))
    )
    closed = ((t > 18) & (t < 82)).astype(float)
    return t, {
        "pack_v": volts, "inlet_v": inlet, "amps": flows, "asked_a": asked, "asked_v": np.full(len(t), pack + 40.0),
        "post_max_a": np.full(len(t), level + 75.0), "vehicle_max_a": np.full(len(t), level + 25.0),
        "soc": 31.0 + np.floor(charged / 1.2 * 8) / 2, "pin_1_c": 24 + 40 * charged, "pin_2_c": 23.5 + 36 * charged,
        "contactor": closed, "lock": ((t > 4) & (t < 86)).astype(float),
    }  # fmt: skip


Course = tuple[np.ndarray, dict[str, np.ndarray]]


def written(
    rng: random.Random, named: bool = True, played: Course | None = None
) -> tuple[str, list[can.Message], dict[str, str]]:
    """(description, frames, role -> full name). named: False gives every signal a word that means nothing. played: what is
    written, else a charge in order.

    Some descriptions know only part of the bus, some put requests and limits into pages of one message.
    """
    sign = -1.0 if rng.random() < 0.3 else 1.0
    big, paged, partly = rng.random() < 0.5, rng.random() < 0.3, rng.random() < 0.25
    blocks: list[list[str]] = []
    tables: list[list[str]] = []
    swapped: set[str] = set()
    chosen: dict[str, str] = {}
    layout: list[tuple[int, int | None, dict[str, str]]] = []  # identifier, page, role -> name
    for number, group in enumerate(GROUPS):
        page = number - _PAGED[0] if paged and number in _PAGED else None
        key = 0x180 + 17 * (_PAGED[0] if page is not None else number)
        if not page:
            message = f"Msg{rng.choice('QXZ')}{number}"
            blocks.append([f"BO_ {key} {message}: 8 {rng.choice('AB')}"])
            tables.append([])
        if page == 0:
            blocks[-1].append(' SG_ Page M : 56|8@1+ (1,0) [0|0] "" B')
        names: dict[str, str] = {}
        for place, role in enumerate(group):
            name = rng.choice(NAMES[role][:-1]) if named else NAMES[role][-1]
            bits = 16 if UNITS[role] else 1
            start = 16 * place + 7 if big and bits == 16 else 16 * place
            how = f"{start}|{bits}@{0 if big and bits == 16 else 1}{'-' if bits == 16 else '+'}"
            which = "" if page is None else f" m{page}"
            scale, unit = "0.1" if bits == 16 else "1", rng.choice(SPELLED[UNITS[role]])
            blocks[-1].append(f' SG_ {name}{which} : {how} ({scale},0) [0|0] "{unit}" B')
            names[role], chosen[role] = name, f"{message}.{name}"
            if role in WORDS and rng.random() < 0.7:
                off, on = rng.choice(WORDS[role])
                if off[1:] not in ("x", "y") and rng.random() < 0.3:  # words tell it where the numbers mislead
                    swapped.add(role)
                words = f'0 "{on}" 1 "{off}"' if role in swapped else f'0 "{off}" 1 "{on}"'
                tables[-1].append(f"VAL_ {key} {name} {words} ;")
        layout.append((key, page, names))
    database: Any = cantools.database.load_string(_description(blocks, tables), "dbc")
    if partly:
        blocks, tables = blocks[:-1], tables[:-1]
        chosen = {role: name for role, name in chosen.items() if role not in GROUPS[-1]}
    t, courses = played or course(rng)
    courses["amps"] = sign * courses["amps"]
    courses |= {role: 1.0 - courses[role] for role in swapped}
    frames = []
    for i in range(len(t)):
        for key, page, names in layout:
            told = {name: float(np.round(courses[role][i], 1)) if UNITS[role] else int(courses[role][i])
                    for role, name in names.items()}  # fmt: skip
            told |= {} if page is None else {"Page": page}
            data = database.get_message_by_frame_id(key).encode(told, padding=True)
            at = 1.79e9 + t[i] + (key + 7 * (page or 0)) * 1e-6
            frames.append(can.Message(timestamp=at, arbitration_id=key, data=data, is_extended_id=False))
    return _description(blocks, tables), frames, chosen


def _description(blocks: list[list[str]], tables: list[list[str]]) -> str:
    head = ['VERSION ""', "", "BU_: A B", ""]
    return "\n".join(
        [*head, *(line for block in blocks for line in (*block, "")), *(line for t in tables for line in t), ""]
    )


def proposed(seed: int, named: bool) -> tuple[dict[str, str], dict[str, str], CanRecord]:
    """(roles proposed, roles as written, the record)."""
    text, frames, right = written(random.Random(seed), named)
    record = measure_can(gather(frames, "can-log"), read_names(text, "stranger")).record
    return {s.role: s.name for s in record.signals if s.role}, right, record
