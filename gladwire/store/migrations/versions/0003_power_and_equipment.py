"""equipment, which of it a session used, and the pictures readings were typed from"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "equipment",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=10), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("site", sa.String(length=120), nullable=False),
        sa.Column("details", sa.Text(), nullable=False),
        sa.Column("by_name", sa.String(length=80), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_equipment_kind"), "equipment", ["kind"], unique=False)
    op.create_index(op.f("ix_equipment_site"), "equipment", ["site"], unique=False)
    for name in ("vehicle_id", "stall_id"):
        op.add_column("charging_sessions", sa.Column(name, sa.Integer(), nullable=True))
        op.create_foreign_key(f"fk_charging_sessions_{name}", "charging_sessions", "equipment", [name], ["id"])
        op.create_index(op.f(f"ix_charging_sessions_{name}"), "charging_sessions", [name], unique=False)
    op.create_table(
        "reading_pictures",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("capture_id", sa.Integer(), nullable=False),
        sa.Column("at_s", sa.Double(), nullable=False),
        sa.Column("film_s", sa.Double(), nullable=True),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("data", mysql.MEDIUMBLOB(), nullable=False),
        sa.ForeignKeyConstraint(["capture_id"], ["captures.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_reading_pictures_capture_id"), "reading_pictures", ["capture_id"], unique=False)


def downgrade() -> None:
    op.drop_table("reading_pictures")
    for name in ("vehicle_id", "stall_id"):
        op.drop_constraint(f"fk_charging_sessions_{name}", "charging_sessions", type_="foreignkey")
        op.drop_index(op.f(f"ix_charging_sessions_{name}"), table_name="charging_sessions")
        op.drop_column("charging_sessions", name)
    op.drop_table("equipment")
