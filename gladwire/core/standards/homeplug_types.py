"""Types of HomePlug AV management messages.

Source: HomePlug AV specification 2.1 and HomePlug Green PHY 1.1, management message entries, from memory; held in a test
against the names tshark gives them. The lowest two bits tell request, confirmation, indication and response.
"""

from __future__ import annotations

_STEMS = {
    0x0004: "CC_BACKUP_APPOINT", 0x0008: "CC_LINK_INFO", 0x000C: "CC_HANDOVER", 0x0010: "CC_HANDOVER_INFO",
    0x0014: "CC_DISCOVER_LIST", 0x0018: "CC_LINK_NEW", 0x001C: "CC_LINK_MOD", 0x0020: "CC_LINK_SQZ",
    0x0024: "CC_LINK_REL", 0x0028: "CC_DETECT_REPORT", 0x002C: "CC_WHO_RU", 0x0030: "CC_ASSOC", 0x0034: "CC_LEAVE",
    0x0038: "CC_SET_TEI_MAP", 0x003C: "CC_RELAY", 0x0040: "CC_BEACON_RELIABILITY", 0x0044: "CC_ALLOC_MOVE",
    0x0048: "CC_ACCESS_NEW", 0x004C: "CC_ACCESS_REL", 0x0050: "CC_DCPPC", 0x0054: "CC_HP1_DET",
    0x0058: "CC_BLE_UPDATE", 0x005C: "CC_BCAST_REPEAT", 0x0060: "CC_MH_LINK_NEW", 0x0064: "CC_ISP_DETECTION_REPORT",
    0x0068: "CC_ISP_START_RESYNC", 0x006C: "CC_ISP_FINISH_RESYNC", 0x0070: "CC_ISP_DETECTED_RESYNC",
    0x0074: "CC_ISP_TRANSMIT_RESYNC", 0x0078: "CC_POWERSAVE", 0x007C: "CC_POWERSAVE_EXIT",
    0x0080: "CC_POWERSAVE_LIST", 0x0084: "CC_POWERSAVE_STOP",
    0x2000: "CP_PROXY_APPOINT", 0x2004: "PH_PROXY_APPOINT", 0x2008: "CP_PROXY_WAKE",
    0x4000: "NN_INL", 0x4004: "NN_NEW_NET", 0x4008: "NN_ADD_ALLOC", 0x400C: "NN_REL_ALLOC", 0x4010: "NN_REL_NET",
    0x6000: "CM_UNASSOCIATED_STA", 0x6004: "CM_ENCRYPTED_PAYLOAD", 0x6008: "CM_SET_KEY", 0x600C: "CM_GET_KEY",
    0x6010: "CM_SC_JOIN", 0x6014: "CM_CHAN_EST", 0x6018: "CM_TM_UPDATE", 0x601C: "CM_AMP_MAP",
    0x6020: "CM_BRG_INFO", 0x6024: "CM_CONN_NEW", 0x6028: "CM_CONN_REL", 0x602C: "CM_CONN_MOD",
    0x6030: "CM_CONN_INFO", 0x6034: "CM_STA_CAP", 0x6038: "CM_NW_INFO", 0x603C: "CM_GET_BEACON", 0x6040: "CM_HFID",
    0x6044: "CM_MME_ERROR", 0x6048: "CM_NW_STATS", 0x604C: "CM_LINK_STATS", 0x6050: "CM_ROUTE_INFO",
    0x6054: "CM_UNREACHABLE", 0x6058: "CM_MH_CONN_NEW", 0x605C: "CM_EXTENDED_TONEMASK",
    0x6060: "CM_STA_IDENTIFY", 0x6064: "CM_SLAC_PARM", 0x6068: "CM_START_ATTEN_CHAR", 0x606C: "CM_ATTEN_CHAR",
    0x6070: "CM_PKCS_CERT", 0x6074: "CM_MNBC_SOUND", 0x6078: "CM_VALIDATE", 0x607C: "CM_SLAC_MATCH",
    0x6080: "CM_SLAC_USER_DATA", 0x6084: "CM_ATTEN_PROFILE",
}  # fmt: skip
_ENDS = (".REQ", ".CNF", ".IND", ".RSP")
VENDOR_FIRST, VENDOR_LAST = 0xA000, 0xBFFF


def type_name(code: int) -> str:
    """The name of a management message type: 0x6064 is CM_SLAC_PARM.REQ."""
    stem = _STEMS.get(code & ~3)
    if stem:
        return stem + _ENDS[code & 3]
    if VENDOR_FIRST <= code <= VENDOR_LAST:
        return f"vendor message {code:04x}{_ENDS[code & 3]}"
    return f"management message {code:04x}{_ENDS[code & 3]}"
