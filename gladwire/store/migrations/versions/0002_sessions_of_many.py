"""several captures on one clock, observations, known-goods, remembered roles, modes"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("cases", sa.Column("modes", sa.String(length=120), nullable=False, server_default=""))
    op.add_column("charging_sessions", sa.Column("mode", sa.String(length=20), nullable=False, server_default=""))
    op.create_table(
        "placements",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("capture_id", sa.Integer(), nullable=False),
        sa.Column("offset_s", sa.Double(), nullable=True),
        sa.Column("by_name", sa.String(length=80), nullable=False),
        sa.Column("why", sa.String(length=300), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["capture_id"], ["captures.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_placements_capture_id"), "placements", ["capture_id"], unique=False)
    op.create_table(
        "observations",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=True),
        sa.Column("session_id", sa.Integer(), nullable=True),
        sa.Column("kind", sa.String(length=30), nullable=False),
        sa.Column("at_s", sa.Double(), nullable=True),
        sa.Column("place", sa.String(length=80), nullable=False),
        sa.Column("value", sa.Double(), nullable=True),
        sa.Column("unit", sa.String(length=12), nullable=False),
        sa.Column("text", sa.String(length=500), nullable=False),
        sa.Column("by_name", sa.String(length=80), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("struck_by", sa.String(length=80), nullable=False),
        sa.ForeignKeyConstraint(["case_id"], ["cases.id"]),
        sa.ForeignKeyConstraint(["session_id"], ["charging_sessions.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_observations_case_id"), "observations", ["case_id"], unique=False)
    op.create_index(op.f("ix_observations_session_id"), "observations", ["session_id"], unique=False)
    op.create_table(
        "known_goods",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("model", sa.String(length=120), nullable=False),
        sa.Column("capture_id", sa.Integer(), nullable=False),
        sa.Column("by_name", sa.String(length=80), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["capture_id"], ["captures.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_known_goods_model"), "known_goods", ["model"], unique=False)
    op.create_table(
        "instrument_roles",
        sa.Column("signature", sa.String(length=64), nullable=False),
        sa.Column("roles", sa.Text(), nullable=False),
        sa.Column("by_name", sa.String(length=80), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("signature"),
    )


def downgrade() -> None:
    for table in ("instrument_roles", "known_goods", "observations", "placements"):
        op.drop_table(table)
    op.drop_column("charging_sessions", "mode")
    op.drop_column("cases", "modes")
