"""What is remembered of equipment: vehicles, stalls with their posts, cabinets, sites and adapters; each gives its part of
the chain."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from gladwire.core.power.chain import Context, Policy

Kind = Literal["vehicle", "stall", "cabinet", "site", "lead", "adapter", "controller", "instrument"]
Amount = Annotated[float | None, Field(gt=0, le=1e6, allow_inf_nan=False)]


class _Spec(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", str_strip_whitespace=True)

    def part(self) -> dict[str, Any]:
        """What it says of the chain, under the keys of `Context`."""
        return {k: v for k, v in self.model_dump().items() if k in Context.model_fields and v not in (None, ())}


class VehicleSpec(_Spec):
    """model: make and model; software: its version. consumption: in consumption_unit, for distance."""

    model: str = ""
    software: str = ""
    pack_class_v: Annotated[float | None, Field(ge=48, le=1500)] = None
    pack_kwh: Amount = None
    vehicle_kw: Amount = None
    vehicle_a: Amount = None
    vehicle_curve: tuple[tuple[float, float], ...] = ()
    converter_kw: Amount = None
    onboard_a: Amount = None
    onboard_phases: Annotated[int | None, Field(ge=1, le=3)] = None
    port: str = ""
    consumption: Amount = None
    consumption_unit: str = "kWh/100 km"


class StallSpec(_Spec):
    """label: painted on it; app_name: what the app calls it; reach_m: of its cable; serves: vehicle sides it reaches.
    model: make, model and generation; connectors: as its cables and sockets end.

    cabinet: name of what feeds it, several with commas between; proven: whether that was found by a test, or is only assumed.
    x, y: place on the plan, in metres.
    """

    label: str = ""
    app_name: str = ""
    model: str = ""
    software: str = ""
    connectors: str = ""
    post_class: str = ""
    cabinet: str = ""
    proven: bool = False
    announced_kw: Amount = None
    post_kw: Amount = None
    post_a: Amount = None
    post_v: Amount = None
    post_min_v: Amount = None
    connector_a: Amount = None
    cable_a: Amount = None
    cable_boost_a: Amount = None
    cable_boost_min: Amount = None
    ac_phases: Annotated[int | None, Field(ge=1, le=3)] = None
    offer_a: Amount = None
    reach_m: Amount = None
    serves: str = ""
    x: float = 0.0
    y: float = 0.0


class CabinetSpec(_Spec):
    cabinet_kw: Amount = None
    module_kw: Amount = None
    share: Policy = "equal"


class SiteSpec(_Spec):
    """latitude, longitude: of its entrance, WGS 84."""

    latitude: Annotated[float | None, Field(ge=-90, le=90)] = None
    longitude: Annotated[float | None, Field(ge=-180, le=180)] = None
    grid_kw: Amount = None
    buffer_kwh: Annotated[float | None, Field(ge=0, le=1e6)] = None


class AdapterSpec(_Spec):
    """label_kw at label_v: what its print says where it names no amperes; a label in kW means nothing without its volts."""

    label: str = ""
    software: str = ""
    adapter_a_continuous: Amount = None
    adapter_a_peak: Amount = None
    label_kw: Amount = None
    label_v: Amount = None
    adapter_supported: bool | None = None

    @model_validator(mode="after")
    def _label_has_volts(self) -> AdapterSpec:
        if (self.label_kw is None) != (self.label_v is None):
            raise ValueError("a label in kW needs the volts it is stated at, and these need the kW")
        return self

    def part(self) -> dict[str, Any]:
        found = super().part()
        if self.label_kw and self.label_v and not self.adapter_a_continuous:
            found["adapter_a_continuous"] = round(1e3 * self.label_kw / self.label_v, 1)
        return found


class LeadSpec(_Spec):
    """label: its print; cores: as it is built, such as 5 × 2.5 mm²; cable_code_a: what its proximity resistor stands for."""

    label: str = ""
    connectors: str = ""
    cores: str = ""
    cable_code_a: Amount = None
    cable_a: Amount = None
    reach_m: Amount = None


class ControllerSpec(_Spec):
    """A controller put into a vehicle or post after it was built. fitted_in: what it sits in."""

    model: str = ""
    software: str = ""
    fitted_in: str = ""


class InstrumentSpec(_Spec):
    """measures: what it is for; reach: its range; category: measurement category with its volts; probes: their factors.
    calibrated_until: the last day its calibration holds."""

    model: str = ""
    measures: str = ""
    reach: str = ""
    category: str = ""
    probes: str = ""
    calibrated_until: date | None = None


SPECS: Mapping[Kind, type[_Spec]] = {
    "vehicle": VehicleSpec,
    "stall": StallSpec,
    "cabinet": CabinetSpec,
    "site": SiteSpec,
    "lead": LeadSpec,
    "adapter": AdapterSpec,
    "controller": ControllerSpec,
    "instrument": InstrumentSpec,
}
# What each figure is called on a form, with its unit; figures not named here are no plain numbers.
FIELDS: Mapping[str, tuple[str, str]] = {
    "pack_class_v": ("Pack class", "V"),
    "pack_kwh": ("Usable energy", "kWh"),
    "vehicle_kw": ("Vehicle takes at most", "kW"),
    "vehicle_a": ("Vehicle takes at most", "A"),
    "converter_kw": ("Converter for posts of lower volts", "kW"),
    "onboard_a": ("On-board charger, a phase", "A"),
    "onboard_phases": ("On-board charger", "phases"),
    "consumption": ("Consumption", ""),
    "announced_kw": ("Label says", "kW"),
    "post_kw": ("Post gives", "kW"),
    "post_a": ("Post gives", "A"),
    "post_v": ("Post up to", "V"),
    "post_min_v": ("Post from", "V"),
    "connector_a": ("Connector", "A"),
    "cable_a": ("Cable, continuous", "A"),
    "cable_boost_a": ("Cable, boost", "A"),
    "cable_boost_min": ("Boost lasts", "min"),
    "cable_code_a": ("Loose lead coded", "A"),
    "ac_phases": ("AC post", "phases"),
    "offer_a": ("AC offer", "A"),
    "reach_m": ("Cable reaches", "m"),
    "cabinet_kw": ("Cabinet in all", "kW"),
    "module_kw": ("Modules of", "kW"),
    "neighbours": ("Neighbours charging", ""),
    "neighbour_kw": ("Each of them takes", "kW"),
    "latitude": ("Latitude", "°"),
    "longitude": ("Longitude", "°"),
    "grid_kw": ("Site supply", "kW"),
    "buffer_kwh": ("Buffer battery", "kWh"),
    "adapter_a_continuous": ("Adapter, continuous", "A"),
    "adapter_a_peak": ("Adapter, peak", "A"),
    "label_kw": ("Adapter, its label", "kW"),
    "label_v": ("The label's kW are stated at", "V"),
    "ambient_c": ("Outside", "°C"),
    "pack_c": ("Pack", "°C"),
}


def feeds_of(details: Mapping[str, Any]) -> tuple[str, ...]:
    """Names of the cabinets that feed a stall, as typed with commas or plus signs between; empty where none is recorded."""
    return tuple(name for part in re.split(r"[,;+]", str(details.get("cabinet") or "")) if (name := part.strip()))


def together(cabinets: Sequence[CabinetSpec]) -> CabinetSpec | None:
    """Cabinets that feed one stall as one: their kW summed where all are known, the modules and the sharing of the first."""
    if not cabinets:
        return None
    kw = [c.cabinet_kw for c in cabinets]
    known = [k for k in kw if k is not None]
    return cabinets[0].model_copy(update={"cabinet_kw": sum(known) if len(known) == len(kw) else None})


def spec_of(kind: Kind, details: Mapping[str, Any]) -> _Spec:
    """Raises ValueError naming the figure that is out of its range."""
    try:
        return SPECS[kind].model_validate(dict(details))
    except ValidationError as error:
        first = error.errors()[0]
        if not first["loc"]:  # about several figures together, in its own words
            raise ValueError(str(first.get("ctx", {}).get("error", first["msg"]))) from error
        name = str(first["loc"][0]) if first["loc"] else kind
        title, unit = FIELDS.get(name, (name, ""))
        raise ValueError(f"{title}{f' ({unit})' if unit else ''}: {first['msg'].lower()}") from error


def chain_of(specs: Iterable[_Spec], **more: Any) -> Context:
    """The chain that pieces of equipment make; later ones and `more` override earlier ones."""
    found: dict[str, Any] = {}
    for spec in specs:
        found |= spec.part()
    return Context.model_validate(found | {k: v for k, v in more.items() if v is not None})
