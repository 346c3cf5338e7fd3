"""what took part in a plug-in are pieces of equipment; attempts have a table; earlier figures of equipment stay"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

_MOMENT = mysql.DATETIME(fsp=6)
# (part as it was noted, kind of equipment, column)
_PARTS = (("vehicle", "vehicle", "vehicle_id"), ("post", "stall", "stall_id"), ("lead", "lead", "lead_id"),
          ("adapter", "adapter", "adapter_id"))  # fmt: skip
_ALL = "vehicle_id", "stall_id", "lead_id", "adapter_id", "controller_id"
# What held of a session: the newest that was not struck out.
_HELD = "SELECT session_id, MAX(id) AS id FROM observations WHERE kind = 'parts' AND struck_by = '' GROUP BY session_id"


def upgrade() -> None:
    for column in _ALL[2:]:
        op.add_column("charging_sessions", sa.Column(column, sa.Integer(), nullable=True))
        op.create_index(f"ix_charging_sessions_{column}", "charging_sessions", [column])
        op.create_foreign_key(f"fk_charging_sessions_{column}", "charging_sessions", "equipment", [column], ["id"])
    op.add_column("charging_sessions", sa.Column("software", sa.String(30), nullable=False, server_default=""))
    op.create_table(
        "attempts",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("case_id", sa.Integer(), sa.ForeignKey("cases.id"), nullable=False),
        sa.Column("came", sa.String(8), nullable=False),
        sa.Column("start", sa.String(10), nullable=False, server_default=""),
        sa.Column("stage", sa.String(16), nullable=False, server_default=""),
        sa.Column("said", sa.String(300), nullable=False, server_default=""),
        sa.Column("by_name", sa.String(80), nullable=False),
        sa.Column("made_at", _MOMENT, nullable=False),
        sa.Column("struck_by", sa.String(80), nullable=False, server_default=""),
        sa.Column("software", sa.String(30), nullable=False, server_default=""),
        *(sa.Column(column, sa.Integer(), sa.ForeignKey("equipment.id"), nullable=True) for column in _ALL),
    )
    for column in ("case_id", "made_at", *_ALL):
        op.create_index(f"ix_attempts_{column}", "attempts", [column])
    op.create_table(
        "equipment_before",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("equipment_id", sa.Integer(), sa.ForeignKey("equipment.id"), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("site", sa.String(120), nullable=False),
        sa.Column("details", sa.Text(), nullable=False),
        sa.Column("format", sa.Integer(), nullable=False),
        sa.Column("by_name", sa.String(80), nullable=False),
        sa.Column("made_at", _MOMENT, nullable=False),
        sa.Column("until", _MOMENT, nullable=False),
    )
    op.create_index("ix_equipment_before_equipment_id", "equipment_before", ["equipment_id"])
    for statement in _moved():
        op.execute(statement)


def _moved() -> list[str]:
    """Names that were noted become pieces of equipment, attempts rows of their own. Each statement can be made again."""
    found = []
    for part, kind, _ in _PARTS:
        name = f"JSON_VALUE(o.text, '$.{part}')"
        found.append(
            "INSERT INTO equipment (kind, name, site, details, format, by_name, made_at) "
            f"SELECT '{kind}', {name}, '', '{{}}', 2, MIN(o.by_name), MIN(o.made_at) FROM observations o "
            f"WHERE o.kind IN ('parts', 'attempt') AND {name} <> '' AND NOT EXISTS "
            f"(SELECT 1 FROM equipment e WHERE e.kind = '{kind}' AND e.name = {name}) GROUP BY {name}"
        )
    pieces = ", ".join(
        f"(SELECT MIN(e.id) FROM equipment e WHERE e.kind = '{kind}' AND e.name = JSON_VALUE(o.text, '$.{part}'))"
        for part, kind, _ in _PARTS
    )
    columns = ", ".join(column for _, _, column in _PARTS)
    said = "LEFT(COALESCE(JSON_VALUE(o.text, '$.said'), ''), 300), LEFT(COALESCE(JSON_VALUE(o.text, '$.software'), ''), 30)"
    found.append(
        f"INSERT IGNORE INTO attempts (id, case_id, came, by_name, made_at, struck_by, said, software, {columns}) "
        f"SELECT o.id, o.case_id, o.unit, o.by_name, o.made_at, o.struck_by, {said}, {pieces} FROM observations o "
        "WHERE o.kind = 'attempt' AND o.case_id IS NOT NULL"
    )
    found.append("DELETE FROM observations WHERE kind = 'attempt' AND id IN (SELECT id FROM attempts)")
    for part, kind, column in _PARTS:
        found.append(
            f"UPDATE charging_sessions s JOIN ({_HELD}) h ON h.session_id = s.id JOIN observations o ON o.id = h.id "
            f"JOIN equipment e ON e.kind = '{kind}' AND e.name = JSON_VALUE(o.text, '$.{part}') SET s.{column} = e.id"
        )
    found.append(
        f"UPDATE charging_sessions s JOIN ({_HELD}) h ON h.session_id = s.id JOIN observations o ON o.id = h.id "
        "SET s.software = LEFT(COALESCE(JSON_VALUE(o.text, '$.software'), ''), 30)"
    )
    return found


def downgrade() -> None:
    op.drop_table("equipment_before")
    op.drop_table("attempts")
    op.drop_column("charging_sessions", "software")
    for column in _ALL[2:]:
        op.drop_constraint(f"fk_charging_sessions_{column}", "charging_sessions", type_="foreignkey")
        op.drop_index(f"ix_charging_sessions_{column}", "charging_sessions")
        op.drop_column("charging_sessions", column)
