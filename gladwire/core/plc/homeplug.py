"""HomePlug AV management frames, those of SLAC to their last field.

CM_SLAC_PARM.REQ after the EtherType: `01 64 60 00 00 | 00 00 | 01 02 03 04 05 06 07 08`: version 1, type 6064 (least byte
first), no fragment; application 0, security 0, run identity.
Source: HomePlug Green PHY 1.1.1, 11.5, and ISO 15118-3:2015 Annex A, from memory; held against scapy's layers and tshark.
"""

from __future__ import annotations

from typing import Any, NamedTuple

from gladwire.core.plc.packets import Management
from gladwire.core.standards.homeplug_types import VENDOR_FIRST, VENDOR_LAST, type_name

SLAC_PARM_REQ, SLAC_PARM_CNF = 0x6064, 0x6065
START_ATTEN_CHAR_IND = 0x606A
ATTEN_CHAR_IND, ATTEN_CHAR_RSP = 0x606E, 0x606F
MNBC_SOUND_IND = 0x6076
VALIDATE_REQ, VALIDATE_CNF = 0x6078, 0x6079
SLAC_MATCH_REQ, SLAC_MATCH_CNF = 0x607C, 0x607D
ATTEN_PROFILE_IND = 0x6086
SET_KEY_REQ, SET_KEY_CNF = 0x6008, 0x6009
AMP_MAP_REQ, AMP_MAP_CNF = 0x601C, 0x601D
MATCH_LENGTHS = {SLAC_MATCH_REQ: 62, SLAC_MATCH_CNF: 86}


class Mme(NamedTuple):
    """A management message. fields: by the standard's names, numbers as numbers, identities as hexadecimal.

    problem: a sentence where it is cut off or odd, else empty.
    """

    time_s: float
    frame: int
    src_mac: bytes
    dst_mac: bytes
    code: int
    name: str
    fields: dict[str, Any]
    problem: str = ""


# Layouts: field and bytes. A field of 1 byte is a number, "h" one least byte first, longer ones identities.
_RUN = ("RunID", 8)
_HEAD = (("APPLICATION_TYPE", 1), ("SECURITY_TYPE", 1))
_LAYOUTS: dict[int, tuple[tuple[str, int], ...]] = {
    SLAC_PARM_REQ: (*_HEAD, _RUN),
    SLAC_PARM_CNF: (
        ("M-SOUND_TARGET", 6), ("NUM_SOUNDS", 1), ("Time_Out", 1), ("RESP_TYPE", 1), ("FORWARDING_STA", 6), *_HEAD, _RUN),
    START_ATTEN_CHAR_IND: (*_HEAD, ("NUM_SOUNDS", 1), ("Time_Out", 1), ("RESP_TYPE", 1), ("FORWARDING_STA", 6), _RUN),
    MNBC_SOUND_IND: (*_HEAD, ("SenderID", 17), ("Cnt", 1), _RUN, ("RSVD", 8), ("Rnd", 16)),
    ATTEN_CHAR_IND: (
        *_HEAD, ("SOURCE_ADDRESS", 6), _RUN, ("SOURCE_ID", 17), ("RESP_ID", 17), ("NUM_SOUNDS", 1), ("NumGroups", 1)),
    ATTEN_CHAR_RSP: (*_HEAD, ("SOURCE_ADDRESS", 6), _RUN, ("SOURCE_ID", 17), ("RESP_ID", 17), ("Result", 1)),
    VALIDATE_REQ: (("SignalType", 1), ("Timer", 1), ("Result", 1)),
    VALIDATE_CNF: (("SignalType", 1), ("ToggleNum", 1), ("Result", 1)),
    SLAC_MATCH_REQ: (
        *_HEAD, ("MVFLength", 2), ("PEV_ID", 17), ("PEV_MAC", 6), ("EVSE_ID", 17), ("EVSE_MAC", 6), _RUN, ("RSVD", 8)),
    SLAC_MATCH_CNF: (
        *_HEAD, ("MVFLength", 2), ("PEV_ID", 17), ("PEV_MAC", 6), ("EVSE_ID", 17), ("EVSE_MAC", 6), _RUN, ("RSVD", 8),
        ("NID", 7), ("RSVD2", 1), ("NMK", 16)),
    ATTEN_PROFILE_IND: (("PEV_MAC", 6), ("NumGroups", 1), ("RSVD", 1)),
    SET_KEY_REQ: (
        ("KeyType", 1), ("MyNonce", 4), ("YourNonce", 4), ("PID", 1), ("PRN", 2), ("PMN", 1), ("CCoCapability", 1),
        ("NID", 7), ("NewEKS", 1), ("NewKey", 16)),
    SET_KEY_CNF: (
        ("Result", 1), ("MyNonce", 4), ("YourNonce", 4), ("PID", 1), ("PRN", 2), ("PMN", 1), ("CCoCapability", 1)),
    AMP_MAP_REQ: (("AMLEN", 2),),
    AMP_MAP_CNF: (("ResType", 1),),
}  # fmt: skip
_GROUPED = (ATTEN_CHAR_IND, ATTEN_PROFILE_IND)
_NUMBERS = {"PRN", "AMLEN"}


def read_mme(packet: Management) -> Mme:
    """Names a management frame and reads its fields, as far as they are there."""
    data = packet.payload
    if len(data) < 3:
        return Mme(
            packet.time_s, packet.frame, packet.src_mac, packet.dst_mac, -1, "cut off", {}, "cut off in its header"
        )
    version, code = data[0], int.from_bytes(data[1:3], "little")
    # Version 0 has no fragmentation field; vendor messages of version 0 go on with their maker's number.
    start = 3 if version == 0 else 5
    fields: dict[str, Any] = {}
    problem = ""
    if version and len(data) >= 5 and (data[3] & 0x0F):
        fields["Fragment"] = f"{(data[3] >> 4) + 1} of {(data[3] & 0x0F) + 1}"
    if VENDOR_FIRST <= code <= VENDOR_LAST:
        fields["OUI"] = data[start : start + 3].hex().upper()
    for name, length in _LAYOUTS.get(code, ()):
        part = data[start : start + length]
        if len(part) < length:
            problem = f"cut off before {name}"
            break
        start += length
        fields[name] = _field(name, part, code, fields)
    else:
        if code in _GROUPED:
            problem = _groups(fields, data[start : start + fields["NumGroups"]])
    if code in MATCH_LENGTHS and not problem and fields["MVFLength"] != MATCH_LENGTHS[code]:
        problem = f"MVFLength {fields['MVFLength']} where {MATCH_LENGTHS[code]} belongs"
    return Mme(packet.time_s, packet.frame, packet.src_mac, packet.dst_mac, code, type_name(code), fields, problem)


def _field(name: str, part: bytes, code: int, fields: dict[str, Any]) -> Any:
    if name == "MVFLength":
        # Stacks disagree on the byte order of this length; both are met.
        little, big = int.from_bytes(part, "little"), int.from_bytes(part, "big")
        if little != MATCH_LENGTHS[code] and big == MATCH_LENGTHS[code]:
            fields["MVFLengthOrder"] = "most significant byte first"
            return big
        return little
    if len(part) == 1:
        return part[0]
    if name in _NUMBERS:
        return int.from_bytes(part, "little")
    return part.hex().upper()


def _groups(fields: dict[str, Any], values: bytes) -> str:
    fields["AAG"] = list(values)
    if len(values) < fields["NumGroups"]:
        return f"cut off: {len(values)} of {fields['NumGroups']} groups"
    return ""
