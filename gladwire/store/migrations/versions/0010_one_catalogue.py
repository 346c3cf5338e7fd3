"""steps of the checklist and tests of causes are one catalogue: those that asked the same have one name, answers theirs"""

from __future__ import annotations

from collections.abc import Sequence

from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

# (step before, step now, answer to answer)
Renamed = Sequence[tuple[str, str, dict[str, str]]]
_STEPS: Renamed = (
    ("other_lead", "elsewhere", {"yes": "not_so", "no": "so"}),
    ("mode2_ok", "mode2_ok", {"yes": "not_so", "no": "so"}),
    ("stall_label", "other_stall_started", {"yes": "not_so", "no": "so"}),
    ("other_means", "other_means", {"yes": "so", "no": "not_so"}),
    ("look", "look", {"yes": "other", "no": "not_so"}),
    ("codes", "codes", {"yes": "other", "no": "not_so"}),
)
_TESTS: Renamed = (
    ("post_alone", "post_alone", {"so": "dead"}),
    ("cp_core", "cp_core", {"so": "line_open"}),
    ("authorisation_not_given", "other_means", {}),
    ("not_authorised", "other_means", {}),
)
_SWAPPED = "Swap one thing, asked by an earlier version: "


def upgrade() -> None:
    op.execute(_renamed("step", _STEPS))
    op.execute(_renamed("test", _TESTS))
    # The step that asked for any swap at all has gone into one for each; what was said stays as a note.
    op.execute(
        "UPDATE observations SET kind = 'note', place = '', text = LEFT(CONCAT("
        f"'{_SWAPPED}', CASE unit WHEN 'yes' THEN 'it follows one part. ' WHEN 'no' THEN 'it follows none. ' ELSE '' END, "
        "text), 500), unit = '' WHERE kind = 'step' AND place = 'swap'"
    )


def _renamed(kind: str, renamed: Renamed) -> str:
    """One statement for all of a kind; MariaDB sets columns from left to right, so answers still go by the old name."""
    answers = " ".join(
        f"WHEN CONCAT(place, ' ', unit) = '{before} {old}' THEN '{new}'"
        for before, _, said in renamed
        for old, new in said.items()
    )
    names = " ".join(f"WHEN '{before}' THEN '{now}'" for before, now, _ in renamed)
    known = ", ".join(f"'{before}'" for before, _, _ in renamed)
    return (
        f"UPDATE observations SET unit = CASE {answers} ELSE unit END, place = CASE place {names} ELSE place END "
        f"WHERE kind = '{kind}' AND place IN ({known})"
    )


def downgrade() -> None:
    # Where two names became one, the older is not to be told any more.
    steps = [
        (now, before, {new: old for old, new in said.items()}) for before, now, said in _STEPS if before != "other_lead"
    ]
    op.execute(_renamed("step", steps))
    op.execute(
        _renamed("test", [("post_alone", "post_alone", {"dead": "so"}), ("cp_core", "cp_core", {"line_open": "so"})])
    )
