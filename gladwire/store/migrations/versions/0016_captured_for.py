"""which step of a checklist a session was captured for, what a capture was taken with, and which place is gone to when"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("charging_sessions", sa.Column("step", sa.String(40), nullable=False, server_default=""))
    op.add_column("captures", sa.Column("instrument_id", sa.Integer, nullable=True))
    op.create_foreign_key("fk_captures_instrument", "captures", "equipment", ["instrument_id"], ["id"])
    op.create_table(
        "planned_visits",
        sa.Column("place", sa.String(120), primary_key=True),
        sa.Column("day", sa.Date, nullable=False, index=True),
        sa.Column("by_name", sa.String(80), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("planned_visits")
    op.drop_constraint("fk_captures_instrument", "captures", type_="foreignkey")
    op.drop_column("captures", "instrument_id")
    op.drop_column("charging_sessions", "step")
