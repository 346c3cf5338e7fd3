"""Where a value comes from."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class Source(BaseModel):
    """A published document (or common practice) a value rests on."""

    model_config = ConfigDict(frozen=True)

    key: str
    document: str
    place: str = ""
    from_memory: bool = True

    def __str__(self) -> str:
        return f"{self.document} {self.place}".strip()


IEC_61851_A = Source(key="iec61851-a", document="IEC 61851-1:2017", place="Annex A")
IEC_61851_LEVELS = Source(key="iec61851-levels", document="IEC 61851-1:2017", place="Annex A, pilot voltages")
IEC_61851_DUTY = Source(key="iec61851-duty", document="IEC 61851-1:2017", place="Annex A, duty cycle to current")
IEC_61851_EDGES = Source(key="iec61851-edges", document="IEC 61851-1:2017", place="Annex A, pilot edges at the vehicle")
IEC_61851_SEQUENCES = Source(key="iec61851-sequences", document="IEC 61851-1:2017", place="Annex A, sequences")
SAE_J1772 = Source(key="sae-j1772", document="SAE J1772", place="control pilot tables")
IEC_61851_B = Source(key="iec61851-b", document="IEC 61851-1:2017", place="Annex B, proximity coding")
SAE_J1772_PROXIMITY = Source(key="sae-j1772-proximity", document="SAE J1772", place="proximity detection circuit")
IEC_60228 = Source(key="iec60228", document="IEC 60228:2004", place="class 5 conductor resistance at 20 °C")
IEC_62196_2 = Source(key="iec62196-2", document="IEC 62196-2", place="Type 2 contact arrangement")
IEC_62196_3 = Source(key="iec62196-3", document="IEC 62196-3", place="combined DC contact arrangements")
IEC_63379 = Source(key="iec63379", document="IEC TS 63379", place="megawatt contact arrangement")
SAE_J3400 = Source(key="sae-j3400", document="SAE J3400", place="contact arrangement")
EN_50160 = Source(key="en50160", document="EN 50160:2010", place="voltage dips")
IEC_60364_5_52 = Source(
    key="iec60364-5-52", document="IEC 60364-5-52:2009", place="Annex G, voltage drop", from_memory=True
)
ISO_15118_3 = Source(key="iso15118-3", document="ISO 15118-3:2015", place="pilot toggles and matching")
ISO_15118_3_MATCHING = Source(key="iso15118-3-matching", document="ISO 15118-3:2015", place="Annex A, matching")
HOMEPLUG_GP = Source(key="homeplug-gp", document="HomePlug Green PHY 1.1.1", place="management messages")
ISO_15118_2 = Source(key="iso15118-2", document="ISO 15118-2:2013", place="messages and their order")
ISO_15118_2_TIMERS = Source(key="iso15118-2-timers", document="ISO 15118-2:2013", place="8.7, timers")
ISO_15118_20 = Source(key="iso15118-20", document="ISO 15118-20:2022", place="messages and their order")
ISO_15118_20_TIMERS = Source(key="iso15118-20-timers", document="ISO 15118-20:2022", place="8.7, timers")
ISO_15118_20_TRANSPORT = Source(
    key="iso15118-20-transport", document="ISO 15118-20:2022", place="7, SDP, V2GTP, TCP, TLS"
)
ISO_15118_2_TRANSPORT = Source(key="iso15118-2-transport", document="ISO 15118-2:2013", place="7, SDP, V2GTP, TCP, TLS")
DIN_70121 = Source(key="din70121", document="DIN SPEC 70121:2014", place="messages and timers")
IEC_61851_23 = Source(key="iec61851-23", document="IEC 61851-23:2014", place="insulation, pre-charge, stop")
ISO_15118_2_CONTRACT = Source(key="iso15118-2-contract", document="ISO 15118-2:2013", place="7.9 and 8.4.3, contract")
RFC_5280 = Source(key="rfc5280", document="RFC 5280", place="certificates and their paths")
RFC_5280_STATUS = Source(key="rfc6066", document="RFC 6066", place="8, certificate status")
RFC_9850 = Source(key="rfc9850", document="RFC 9850", place="key log format")
IEC_61851_24 = Source(key="iec61851-24", document="IEC 61851-24:2014", place="Annex A, control over CAN")
PRACTICE = Source(key="practice", document="common practice", place="", from_memory=False)
MEASUREMENT = Source(key="measurement", document="this capture", place="", from_memory=False)

SOURCES = (
    IEC_61851_A,
    IEC_61851_LEVELS,
    IEC_61851_DUTY,
    IEC_61851_EDGES,
    IEC_61851_SEQUENCES,
    SAE_J1772,
    IEC_61851_B,
    SAE_J1772_PROXIMITY,
    IEC_60228,
    IEC_62196_2,
    IEC_62196_3,
    IEC_63379,
    SAE_J3400,
    EN_50160,
    IEC_60364_5_52,
    ISO_15118_3,
    ISO_15118_3_MATCHING,
    HOMEPLUG_GP,
    ISO_15118_2,
    ISO_15118_2_TIMERS,
    ISO_15118_20,
    ISO_15118_20_TIMERS,
    ISO_15118_20_TRANSPORT,
    ISO_15118_2_TRANSPORT,
    DIN_70121,
    IEC_61851_23,
    IEC_61851_24,
    ISO_15118_2_CONTRACT,
    RFC_5280,
    RFC_5280_STATUS,
    RFC_9850,
    PRACTICE,
    MEASUREMENT,
)
