"""Plays every cause the simulator can make, counts what is seen of each, and finds by held-out plays how sharply it may
speak: writes `core/diagnosis/likelihoods.json`.

    python scripts/likelihoods/count.py

Run after a change of what is judged or measured; `tests/core/test_likelihoods.py` says when it is due.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from gladwire.benchmarks.diagnosis import HELD_OUT, Seen, all_seen, outside_seen, proven, sharpest
from gladwire.core.diagnosis import likelihood
from gladwire.core.diagnosis.causes import CAUSES
from gladwire.core.measured import MEASURES
from gladwire.core.session.judgement import JUDGES

PAGE = Path(likelihood.__file__).parent / "likelihoods.json"
SEEDS, EACH = tuple(range(1, 9)), 2
DECLARED = sorted({code for cause in CAUSES for code in (*cause.speaks_for, *cause.speaks_against)})


def counted(found: Iterable[Seen]) -> dict[str, dict[str, list[int]]]:
    """By finding and cause: plays in which it was loud, was soft, could be seen."""
    counts: dict[str, dict[str, list[int]]] = {code: {} for code in DECLARED}
    for play in found:
        heard = play.observed.heard
        for code in DECLARED:
            if code in heard or code not in play.blind:
                count = counts[code].setdefault(play.cause, [0, 0, 0])
                soft = code in heard and heard[code].severity == "note"
                count[0] += code in heard and not soft
                count[1] += soft
                count[2] += 1
    return {code: dict(sorted(causes.items())) for code, causes in counts.items() if causes}


def written(table: dict[str, Any]) -> None:
    lines = ",\n".join(f"  {json.dumps(code)}: {json.dumps(causes)}" for code, causes in table["counts"].items())
    head = ",\n".join(f" {json.dumps(key)}: {json.dumps(value)}" for key, value in table.items() if key != "counts")
    PAGE.write_text(f'{{\n{head},\n "counts": {{\n{lines}\n }}\n}}\n')


def main() -> None:
    found = all_seen(EACH, SEEDS)
    table: dict[str, Any] = {
        "made_of": {
            "judges": JUDGES,
            "measures": MEASURES,
            "seeds": list(SEEDS),
            "each": EACH,
            "held_out": list(HELD_OUT),
        },
        "sharpness": 1.0,
        "proven": [],
        "plays": dict(sorted(Counter(s.cause for s in found).items())),
        "counts": counted(found),
    }
    written(table)
    for kept in (likelihood.table, likelihood.counts, likelihood.seen, likelihood.absent):
        kept.cache_clear()
    table["sharpness"] = sharpest(all_seen(EACH, HELD_OUT))
    table["proven"] = proven(outside_seen(1, HELD_OUT[0]))
    written(table)


if __name__ == "__main__":
    main()
