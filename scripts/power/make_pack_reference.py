"""Writes tests/fixtures/pack/: a published cell model charged by a widely used battery modelling package.

Run in an environment of its own:  pip install pybamm  and then  python scripts/power/make_pack_reference.py
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import pybamm

FOLDER = Path(__file__).resolve().parents[2] / "tests" / "fixtures" / "pack"


def charged(rate: str) -> pybamm.Solution:
    """The cell from 10 % at a constant current to 4.2 V, then at 4.2 V until a twentieth of its capacity an hour."""
    experiment = pybamm.Experiment([(f"Charge at {rate} until 4.2 V", "Hold at 4.2 V until C/20")], period="10 seconds")
    simulation = pybamm.Simulation(
        pybamm.lithium_ion.DFN(), parameter_values=pybamm.ParameterValues("Chen2020"), experiment=experiment
    )
    return simulation.solve(initial_soc=0.1)


def resting() -> np.ndarray:
    """(SoC %, V), shape (21, 2): the cell at rest."""
    values = pybamm.ParameterValues("Chen2020")
    rows = []
    for soc in np.linspace(0.0, 1.0, 21):
        negative, positive = pybamm.lithium_ion.get_initial_stoichiometries(soc, values)
        volts = values["Positive electrode OCP [V]"](pybamm.Scalar(positive)).evaluate()
        volts -= values["Negative electrode OCP [V]"](pybamm.Scalar(negative)).evaluate()
        rows.append((100.0 * soc, float(np.asarray(volts).squeeze())))
    return np.array(rows)


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    np.savetxt(FOLDER / "resting.csv", resting(), "%.5f", ",", header="soc_percent,volts_v", comments="")
    for name, rate in (("half", "0.5C"), ("one", "1C")):
        found = charged(rate)
        times, volts, amps = (found[key].entries for key in ("Time [s]", "Terminal voltage [V]", "Current [A]"))
        table = np.column_stack([times, volts, -amps])
        np.savetxt(FOLDER / f"charge-{name}.csv", table, "%.5f", ",", header="time_s,volts_v,amps_a", comments="")
        print(name, times[-1], np.trapezoid(-amps * volts, times) / 3600)
    (FOLDER / "ORIGIN").write_text(
        f"pybamm {pybamm.__version__} (BSD-3-Clause), parameter set Chen2020 (Chen et al., J. Electrochem. Soc. 2020), "
        f"Doyle-Fuller-Newman model, Python {sys.version.split()[0]}; made by scripts/power/make_pack_reference.py\n"
    )


if __name__ == "__main__":
    main()
