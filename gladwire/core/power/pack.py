"""A vehicle's pack as far as charging feels it: volts over state of charge and current, what temperature lets it take,
and the usual fall of power towards full.

Sources: the open-circuit voltage of a nickel-rich cell is common practice, checked against a published cell model in
the tests; the shares over temperature and over state of charge are common practice and used only where nothing better
is known of a vehicle, which the screens say.
"""

from __future__ import annotations

import numpy as np

from gladwire.core.signal.waveform import Floats

# Cells in series of a class of pack.
_CELLS_PER_CLASS_V = 96 / 400.0
_SOC = np.array([0.0, 5.0, 10.0, 20.0, 30.0, 40.0, 50.0, 60.0, 70.0, 80.0, 90.0, 100.0])
_CELL_V = np.array([3.00, 3.28, 3.38, 3.51, 3.59, 3.65, 3.73, 3.85, 3.93, 4.02, 4.09, 4.19])
NOMINAL_CELL_V = 3.7
# A current of one pack an hour lifts the volts at the terminals by this share.
_LIFT_PER_C = 0.025
# Pack temperature in °C to the share of its current a vehicle takes.
_PACK_C = np.array([-20.0, -10.0, 0.0, 10.0, 20.0, 25.0, 45.0, 50.0, 55.0, 60.0])
_SHARE_C = np.array([0.05, 0.12, 0.25, 0.50, 0.82, 1.0, 1.0, 0.75, 0.40, 0.10])
# State of charge to the share of its highest power a vehicle takes, where its own curve is not known.
_TAPER_SOC = np.array([0.0, 5.0, 50.0, 60.0, 70.0, 80.0, 90.0, 96.0, 100.0])
_TAPER_SHARE = np.array([0.9, 1.0, 1.0, 0.84, 0.68, 0.50, 0.26, 0.12, 0.04])
COLD_C, HOT_C = 25.0, 45.0


def open_circuit_v(class_v: float, soc: Floats | float) -> Floats:
    """Volts of a resting pack of a class (400, 800 …) at a state of charge in percent."""
    return np.asarray(class_v * _CELLS_PER_CLASS_V * np.interp(soc, _SOC, _CELL_V), dtype=np.float64)


def charging_v(class_v: float, soc: Floats | float, c_rate: Floats | float) -> Floats:
    """Volts at the terminals while a current of so many packs an hour flows in."""
    return open_circuit_v(class_v, soc) * (1.0 + _LIFT_PER_C * np.asarray(c_rate, dtype=np.float64))


def nominal_v(class_v: float) -> float:
    return class_v * _CELLS_PER_CLASS_V * NOMINAL_CELL_V


def share_at_temperature(pack_c: Floats | float) -> Floats:
    """Share of its current a vehicle takes at a pack temperature in °C, 0 to 1."""
    return np.asarray(np.interp(pack_c, _PACK_C, _SHARE_C), dtype=np.float64)


def share_at_soc(soc: Floats | float) -> Floats:
    """Share of its highest power a vehicle of unknown curve takes at a state of charge in percent, 0 to 1."""
    return np.asarray(np.interp(soc, _TAPER_SOC, _TAPER_SHARE), dtype=np.float64)
