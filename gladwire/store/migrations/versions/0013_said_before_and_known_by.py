"""what was said before stays; things are known again by what captures tell of them"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None

_MOMENT = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    op.create_table(
        "earlier_verdicts",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("session_id", sa.Integer(), sa.ForeignKey("charging_sessions.id"), nullable=False),
        sa.Column("outcome", sa.String(20), nullable=False),
        sa.Column("danger", sa.Boolean(), nullable=False),
        sa.Column("verdict", sa.Text(), nullable=False),
        sa.Column("leads", sa.String(60), nullable=False),
        sa.Column("why", sa.String(300), nullable=False),
        sa.Column("made_at", _MOMENT, nullable=False),
        sa.Column("until", _MOMENT, nullable=False),
    )
    op.create_index("ix_earlier_verdicts_session_id", "earlier_verdicts", ["session_id"])
    op.create_table(
        "known_by",
        sa.Column("mark", sa.String(120), primary_key=True),
        sa.Column("equipment_id", sa.Integer(), sa.ForeignKey("equipment.id"), nullable=False),
        sa.Column("by_name", sa.String(80), nullable=False),
        sa.Column("made_at", _MOMENT, nullable=False),
    )
    op.create_index("ix_known_by_equipment_id", "known_by", ["equipment_id"])


def downgrade() -> None:
    op.drop_table("known_by")
    op.drop_table("earlier_verdicts")
