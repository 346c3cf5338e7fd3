"""A post and a vehicle of the package `iso15118` whose figures fit each other: 500 V, 125 A; a pack at 400 V that asks for
80 A. fault names what they do wrong from the twelfth turn of the charging loop on.
"""

import os
import signal
import subprocess

from iso15118.evcc.controller.simulator import SimEVController
from iso15118.secc.controller.simulator import SimEVSEController
from iso15118.shared.messages.datatypes import (
    DCEVSEChargeParameter,
    DCEVSEStatus,
    DCEVSEStatusCode,
    EVSENotification,
    PVEVSEMaxCurrentLimit,
    PVEVSEMaxPowerLimit,
    PVEVSEMaxVoltageLimit,
    PVEVSEMinCurrentLimit,
    PVEVSEMinVoltageLimit,
    PVEVSEPeakCurrentRipple,
    PVEVTargetCurrent,
    PVEVTargetVoltage,
)
from iso15118.shared.messages.din_spec.datatypes import DCEVStatus as DCEVStatusDIN
from iso15118.shared.messages.enums import DCEVErrorCode, EnergyTransferModeEnum, IsolationLevel
from iso15118.shared.messages.iso15118_2.datatypes import DCEVStatus

LOOPS = 12  # of the charging loop before what is to happen happens


def _ends(fault: str, iface: str) -> None:
    """What befalls a process or its line."""
    if fault == "frozen":
        os.kill(os.getpid(), signal.SIGSTOP)
    if fault == "killed":
        os.kill(os.getpid(), signal.SIGKILL)
    if fault == "line":
        subprocess.run(["ip", "link", "set", iface, "down"], check=True)


class PostOfFigures(SimEVSEController):
    fault, iface = "", ""
    volts, amps, loops = 12.0, 0.0, 0

    def limit_a(self) -> int:
        if self.fault == "nothing_offered":
            return 0
        return 32 if self.fault == "lowered" and self.loops > LOOPS else 125

    async def get_supported_energy_transfer_modes(self, protocol):
        if self.fault == "only_ac":
            return [EnergyTransferModeEnum.AC_THREE_PHASE_CORE]
        return await super().get_supported_energy_transfer_modes(protocol)

    async def get_dc_evse_status(self):
        late = self.loops > LOOPS
        code, told = DCEVSEStatusCode.EVSE_READY, EVSENotification.NONE
        if late and self.fault in ("shutdown", "malfunction"):
            code = DCEVSEStatusCode.EVSE_SHUTDOWN if self.fault == "shutdown" else DCEVSEStatusCode.EVSE_MALFUNCTION
            told = EVSENotification.STOP_CHARGING
        return DCEVSEStatus(
            evse_notification=told,
            notification_max_delay=0,
            evse_isolation_status=IsolationLevel.VALID,
            evse_status_code=code,
        )

    async def get_dc_charge_parameters(self):
        return DCEVSEChargeParameter(
            dc_evse_status=await self.get_dc_evse_status(),
            evse_maximum_power_limit=PVEVSEMaxPowerLimit(multiplier=1, value=5000, unit="W"),
            evse_maximum_current_limit=PVEVSEMaxCurrentLimit(multiplier=0, value=self.limit_a(), unit="A"),
            evse_maximum_voltage_limit=PVEVSEMaxVoltageLimit(multiplier=0, value=500, unit="V"),
            evse_minimum_current_limit=PVEVSEMinCurrentLimit(multiplier=0, value=0, unit="A"),
            evse_minimum_voltage_limit=PVEVSEMinVoltageLimit(multiplier=0, value=150, unit="V"),
            evse_peak_current_ripple=PVEVSEPeakCurrentRipple(multiplier=0, value=1, unit="A"),
        )

    async def get_evse_max_voltage_limit(self):
        return PVEVSEMaxVoltageLimit(multiplier=0, value=500, unit="V")

    async def get_evse_max_current_limit(self):
        return PVEVSEMaxCurrentLimit(multiplier=0, value=self.limit_a(), unit="A")

    async def get_evse_max_power_limit(self):
        return PVEVSEMaxPowerLimit(multiplier=1, value=5000, unit="W")

    async def is_evse_current_limit_achieved(self):
        return self.amps >= self.limit_a()

    async def send_charging_command(self, ev_target_voltage, ev_target_current, is_precharge=False, **more):
        wanted = float(ev_target_voltage or 0.0)
        if is_precharge:
            top = 210.0 if self.fault == "precharge_low" else wanted
            self.volts = min(top, self.volts + 150.0)
        else:
            self.loops += 1
            given = min(float(ev_target_current or 0.0), self.limit_a())
            if self.fault == "gives_less" and self.loops > LOOPS:
                given = 0.4 * given
            self.amps += (given - self.amps) * 0.7
            self.volts = 396.0
            if self.loops > LOOPS:
                _ends(self.fault, self.iface)
        self.evse_data_context.present_voltage = int(self.volts)
        self.evse_data_context.present_current = round(self.amps)


class VehicleOfFigures(SimEVController):
    fault, iface = "", ""
    closed, loops = False, 0

    def code(self):
        hot = self.fault == "too_hot" and self.loops > LOOPS
        return DCEVErrorCode.FAILED_RESS_TEMPERATURE_INHIBIT if hot else DCEVErrorCode.NO_ERROR

    async def is_precharged(self, present_voltage_evse):
        if self.fault == "never_closes":
            return False
        self.closed = present_voltage_evse.get_decimal_value() >= 385.0
        return self.closed

    async def get_dc_charge_params(self):
        asked = 80 if self.closed else 1
        if self.fault == "asks_less" and self.loops > LOOPS:
            asked = 15
        self.dc_ev_charge_params.dc_max_current_limit.multiplier = -2
        self.dc_ev_charge_params.dc_target_current = PVEVTargetCurrent(multiplier=0, value=asked, unit="A")
        self.dc_ev_charge_params.dc_target_voltage = PVEVTargetVoltage(multiplier=0, value=400, unit="V")
        return self.dc_ev_charge_params

    async def continue_charging(self):
        if self.closed:
            self.loops += 1
            if self.loops > LOOPS:
                _ends(self.fault, self.iface)
            if self.fault == "too_hot" and self.loops > LOOPS + 3:
                return False
        return await super().continue_charging()

    async def get_dc_ev_status_dinspec(self):
        return DCEVStatusDIN(ev_ready=True, ev_error_code=self.code(), ev_ress_soc=self._soc)

    async def get_dc_ev_status(self):
        return DCEVStatus(ev_ready=True, ev_error_code=self.code(), ev_ress_soc=self._soc)
