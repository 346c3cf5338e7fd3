"""what an analysis under way tells, who wished it stopped, and a trail of what was removed"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("captures", sa.Column("progress", sa.String(length=120), nullable=False, server_default=""))
    op.add_column("captures", sa.Column("stop_asked_by", sa.String(length=80), nullable=False, server_default=""))
    for count in ("messages", "signals"):
        op.add_column("bus_descriptions", sa.Column(count, sa.Integer(), nullable=False, server_default="0"))
    # How often an analysis was begun says nothing of the capture: stops of the application counted too.
    op.drop_column("captures", "attempts")
    op.create_table(
        "trail",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("what", sa.String(length=20), nullable=False),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column("about", sa.String(length=500), nullable=False),
        sa.Column("by_name", sa.String(length=80), nullable=False),
        sa.Column("why", sa.String(length=300), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )


def downgrade() -> None:
    op.drop_table("trail")
    for count in ("messages", "signals"):
        op.drop_column("bus_descriptions", count)
    op.add_column("captures", sa.Column("attempts", sa.Integer(), nullable=False, server_default="0"))
    op.drop_column("captures", "stop_asked_by")
    op.drop_column("captures", "progress")
