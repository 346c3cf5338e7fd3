"""Units of physical values in V2G messages, and which unit a field has by its name.

Source: DIN SPEC 70121 and ISO 15118-2:2013, type unitSymbolType and the tables of physical values, ISO 15118-20:2022, type
RationalNumberType, whose units stand in the tables of its elements; from memory of the standards; the names are those of
the schemas. Numbers leave the decoder in V, A, W, Wh, s and %.
"""

# unit symbol -> what it is shown in, and the factor as numerator and denominator
UNITS: dict[str, tuple[str, int, int]] = {
    "h": ("s", 3600, 1),
    "m": ("s", 60, 1),
    "s": ("s", 1, 1),
    "A": ("A", 1, 1),
    "Ah": ("Ah", 1, 1),
    "V": ("V", 1, 1),
    "VA": ("VA", 1, 1),
    "W": ("W", 1, 1),
    "W_s": ("Wh", 1, 3600),
    "Wh": ("Wh", 1, 1),
}

# Endings of field names, the longest that fits counts.
_BY_NAME: tuple[tuple[str, str], ...] = (
    ("Voltage", "V"),
    ("VoltageLimit", "V"),
    ("MaxVoltage", "V"),
    ("MinVoltage", "V"),
    ("NominalVoltage", "V"),
    ("Current", "A"),
    ("CurrentLimit", "A"),
    ("MaxCurrent", "A"),
    ("MinCurrent", "A"),
    ("CurrentRipple", "A"),
    ("CurrentRegulationTolerance", "A"),
    ("Power", "W"),
    ("PowerLimit", "W"),
    ("PMax", "W"),
    ("MaxPower", "W"),
    ("EVEnergyCapacity", "Wh"),
    ("EnergyRequest", "Wh"),
    ("EnergyToBeDelivered", "Wh"),
    ("EAmount", "Wh"),
    ("MeterReading", "Wh"),
    ("SigMeterReading", ""),
    ("startValue", "W"),
    ("RemainingTimeToFullSoC", "s"),
    ("RemainingTimeToBulkSoC", "s"),
    ("DepartureTime", "s"),
    ("duration", "s"),
    ("start", "s"),
    ("NotificationMaxDelay", "s"),
    ("SOC", "%"),
    ("SoC", "%"),
    ("BulkSOC", "%"),
    ("FullSOC", "%"),
    ("ReactivePower", "var"),
    ("ReadingWh", "Wh"),
    ("ReadingVARh", "varh"),
    ("BatteryEnergyCapacity", "Wh"),
    ("Frequency", "Hz"),
    ("PowerRampLimitation", "W/s"),
    ("Duration", "s"),
    ("AckMaxDelay", "s"),
    ("RemainingTimeToMaximumSOC", "s"),
    ("RemainingTimeToMinimumSOC", "s"),
    ("RemainingTimeToTargetSOC", "s"),
)


def unit_of(path: str) -> str:
    """The unit of a field by the end of its path, or an empty text: `EVSEStatus.EVSEPresentVoltage` is in V."""
    name = path.rpartition(".")[2].partition("[")[0].removesuffix("_L2").removesuffix("_L3")
    best = max((n for n, _ in _BY_NAME if name.endswith(n)), key=len, default="")
    if not best or name.endswith(("TimeToFullSoC", "TimeToBulkSoC")):
        return "s" if best else ""
    return dict(_BY_NAME)[best]
