"""first tables"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "cases",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("complaint", sa.Text(), nullable=False),
        sa.Column("vehicle", sa.String(length=120), nullable=False),
        sa.Column("post", sa.String(length=120), nullable=False),
        sa.Column("waits_for", sa.String(length=300), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("closed_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_cases_state"), "cases", ["state"], unique=False)
    op.create_table(
        "charging_sessions",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=True),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(
            ["case_id"],
            ["cases.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_charging_sessions_case_id"), "charging_sessions", ["case_id"], unique=False)
    op.create_index(op.f("ix_charging_sessions_created_at"), "charging_sessions", ["created_at"], unique=False)
    op.create_table(
        "captures",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("session_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.Column("received_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("recorded_at", sa.String(length=80), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("refusal", sa.Text(), nullable=False),
        sa.Column("claimed_by", sa.String(length=64), nullable=False),
        sa.Column("claimed_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["session_id"],
            ["charging_sessions.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_captures_session_id"), "captures", ["session_id"], unique=False)
    op.create_index(op.f("ix_captures_sha256"), "captures", ["sha256"], unique=False)
    op.create_index(op.f("ix_captures_state"), "captures", ["state"], unique=False)
    op.create_table(
        "capture_chunks",
        sa.Column("capture_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("data", mysql.MEDIUMBLOB(), nullable=False),
        sa.ForeignKeyConstraint(
            ["capture_id"],
            ["captures.id"],
        ),
        sa.PrimaryKeyConstraint("capture_id", "number"),
    )
    op.create_table(
        "settlements",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("capture_id", sa.Integer(), nullable=False),
        sa.Column("settled", sa.Text(), nullable=False),
        sa.Column("interval_s", sa.Double(), nullable=True),
        sa.Column("by_name", sa.String(length=80), nullable=False),
        sa.Column("why", sa.String(length=300), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(
            ["capture_id"],
            ["captures.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_settlements_capture_id"), "settlements", ["capture_id"], unique=False)
    op.create_table(
        "analyses",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("capture_id", sa.Integer(), nullable=False),
        sa.Column("settlement_id", sa.Integer(), nullable=True),
        sa.Column("analyser", sa.Integer(), nullable=False),
        sa.Column("outcome", sa.String(length=20), nullable=False),
        sa.Column("verdict", sa.Text(), nullable=False),
        sa.Column("result", mysql.LONGBLOB(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(
            ["capture_id"],
            ["captures.id"],
        ),
        sa.ForeignKeyConstraint(
            ["settlement_id"],
            ["settlements.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_analyses_capture_id"), "analyses", ["capture_id"], unique=False)


def downgrade() -> None:
    for table in ("analyses", "settlements", "capture_chunks", "captures", "charging_sessions", "cases"):
        op.drop_table(table)
