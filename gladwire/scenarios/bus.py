"""The demo's logs of a bus: what controllers and connectors sent, laid into frames by their description, in the log formats
of different instruments."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from dataclasses import replace
from importlib import resources
from pathlib import Path
from typing import Any

from gladwire.core.can.names import shipped
from gladwire.core.simulate.can_bus import ConnectorPlan, RetrofitPlan, Sent

FIRST_AT = 1_794_303_600.0
DBC_NAME = "inlet_controller.dbc"

RETROFITS: dict[str, RetrofitPlan] = {
    "healthy": RetrofitPlan(),
    "swapped": RetrofitPlan(swapped=True, lasts_s=40.0, closes=False),
    "no_close": RetrofitPlan(reaches=0.62, closes=False, lasts_s=45.0),
    "hot_pin": RetrofitPlan(pin_rise_c_s=0.22, lasts_s=100.0, ends_s=92.0),
    "pin_open": RetrofitPlan(pin_open_at_s=48.0, lasts_s=70.0),
    "silent": RetrofitPlan(silent_at_s=44.0, lasts_s=60.0),
    "asks_nothing": RetrofitPlan(asks_a=0.0, closes=False, precharge_s=200.0, lasts_s=50.0),
    "no_hv_line": RetrofitPlan(hv_line=False),
    "lock_slips": RetrofitPlan(lock_slips_s=50.0),
}
CONNECTORS: dict[str, ConnectorPlan] = {
    "whole": ConnectorPlan(),
    "hot": ConnectorPlan(hot_at_s=33.0),
    "stopped": ConnectorPlan(stops_at_s=36.0),
    "alone": ConnectorPlan(vehicle=False, lasts_s=25.0),
}


def dbc() -> bytes:
    """The description of the harbour's retrofit controller."""
    return (resources.files("gladwire.scenarios") / DBC_NAME).read_bytes()


def messages(sent: list[Sent], description: str, channel: int | str = "can0") -> Iterator[Any]:
    """Messages of a bus as python-can has them, packed by this description."""
    import can
    import cantools

    database: Any = cantools.database.load_string(description, database_format="dbc")
    for time_s, name, values in sent:
        message = database.get_message_by_name(name)
        yield can.Message(
            timestamp=FIRST_AT + time_s,
            arbitration_id=message.frame_id,
            is_extended_id=message.is_extended_frame,
            data=message.encode(values),
            channel=channel,
        )


def log(sent: list[Sent], description: str, suffix: str) -> bytes:
    """A log of these messages. suffix: log, asc, blf or trc."""
    import can

    channel = 1 if suffix in ("asc", "blf", "trc") else "can0"
    with tempfile.TemporaryDirectory(prefix="gladwire-") as folder:
        path = Path(folder) / f"bus.{suffix}"
        with can.Logger(str(path)) as writer:
            for message in messages(sent, description, channel):
                writer.on_message_received(message)
        return path.read_bytes()


def retrofit(name: str, suffix: str = "log") -> bytes:
    return log(replace(RETROFITS[name]).play(), dbc().decode(), suffix)


def connector(name: str, suffix: str = "log") -> bytes:
    return log(replace(CONNECTORS[name]).play(), shipped()[0].text, suffix)
