"""key logs, apart from captures, and descriptions of buses with the roles settled for them"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "key_logs",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("session_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.Column("text", mysql.MEDIUMBLOB(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["session_id"], ["charging_sessions.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_key_logs_session_id"), "key_logs", ["session_id"], unique=False)
    op.create_table(
        "bus_descriptions",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("title", sa.String(length=255), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.Column("text", mysql.MEDIUMBLOB(), nullable=False),
        sa.Column("kind", sa.String(length=12), nullable=False),
        sa.Column("roles", sa.Text(), nullable=False),
        sa.Column("by_name", sa.String(length=80), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_bus_descriptions_sha256"), "bus_descriptions", ["sha256"], unique=True)
    op.add_column("captures", sa.Column("kind", sa.String(length=10), nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("captures", "kind")
    op.drop_table("bus_descriptions")
    op.drop_table("key_logs")
