"""Write docs/findings.md from the declarations of rules, causes and tests. Run it after adding one."""

from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).parents[2]
sys.path.insert(0, str(ROOT))

from gladwire.core.diagnosis.cause import OWNER_WORDS  # noqa: E402
from gladwire.core.diagnosis.causes import CAUSES  # noqa: E402
from gladwire.core.diagnosis.tests import BY_KEY as TESTS  # noqa: E402
from gladwire.core.rulebook import ALL as RULES  # noqa: E402

HEAD = """# Findings and causes

A finding is a measured fact held against a limit: `normal`, `note`, `suspect` or `fault`. A cause is a hypothesis; findings
speak for and against it. Both are declarations in the code; this page is written from them by
`scripts/docs/write_findings.py`, and a test holds it to them.

"""


def text() -> str:
    """The whole page."""
    rules = ["## Findings", "", "| code | tells | stage | breaks | source |", "|---|---|---|---|---|"]
    rules += [f"| `{r.code}` | {r.answers} | {r.stage} | {', '.join(r.breaks)} | {r.source} |" for r in RULES]
    causes = ["", "## Causes", "", "| code | cause | owner | next test | proof of repair |", "|---|---|---|---|---|"]
    causes += [f"| `{c.code}` | {c.title} | {OWNER_WORDS[c.owner]} | {TESTS[c.test].do} | {c.proof} |" for c in CAUSES]
    return HEAD + "\n".join([*rules, *causes]) + "\n"


if __name__ == "__main__":
    (ROOT / "docs" / "findings.md").write_text(text())
