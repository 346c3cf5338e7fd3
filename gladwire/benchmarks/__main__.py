"""`./glad bench [pilot|pages|session|plc|can|power]`: prints tables and keeps the last ones under docs/. `mutants`, `kill`,
`storm`, `read`, `blind`, `diagnosis` and `web` have pages and options of their own."""

from __future__ import annotations

import argparse
import os
import platform
import re
import sys
from datetime import UTC, datetime
from pathlib import Path

from gladwire.benchmarks import can, diagnosis, kill, mutants, pages, pilot, plc, power, read, session, storm, web
from gladwire.benchmarks.blind import bench as blind

PAGE = Path("docs/performance.md")
BENCHES = {
    "pilot": pilot.measure,
    "pages": pages.measure,
    "session": session.measure,
    "plc": plc.measure,
    "can": can.measure,
    "power": power.measure,
}
OTHERS = {
    "mutants": mutants.main,
    "kill": kill.main,
    "storm": storm.main,
    "read": read.main,
    "blind": blind.main,
    "diagnosis": diagnosis.main,
    "web": web.main,
}


def main() -> None:
    """Run the chosen benches (all by default) and replace their sections of the page."""
    if main_of := OTHERS.get("".join(sys.argv[1:2])):
        main_of(sys.argv[2:])
        return
    parser = argparse.ArgumentParser(prog="glad bench")
    parser.add_argument("which", nargs="?", choices=[*BENCHES, "all"], default="all")
    parser.add_argument("--millions", type=int, nargs="+", default=[1, 10, 100], help="sizes in million samples")
    chosen = parser.parse_args()
    folder = Path("var/bench")
    folder.mkdir(parents=True, exist_ok=True)
    for name, measure in BENCHES.items():
        if chosen.which in (name, "all"):
            table = measure(folder, chosen.millions)
            print(f"\n{table}\n")
            _keep(name, table)


def _keep(name: str, table: str) -> None:
    cores = os.cpu_count()
    when = datetime.now(UTC).strftime("%Y-%m-%d")
    taken = f"Taken {when} on {cores} cores, {platform.machine()}, Python {platform.python_version()}."
    text = PAGE.read_text()
    section = f"<!-- {name} -->\n{taken}\n\n{table}\n<!-- end {name} -->"
    pattern = re.compile(rf"<!-- {name} -->.*?<!-- end {name} -->", re.DOTALL)
    PAGE.write_text(pattern.sub(lambda _: section, text))


if __name__ == "__main__":
    main()
