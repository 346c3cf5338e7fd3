"""what a reading was taken with, photographs, what was learnt of a model, and what devices sent later"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("observations", sa.Column("instrument_id", sa.Integer, nullable=True))
    op.create_foreign_key("fk_observations_instrument", "observations", "equipment", ["instrument_id"], ["id"])
    op.create_table(
        "photographs",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("observation_id", sa.Integer, sa.ForeignKey("observations.id"), nullable=False, unique=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("type", sa.String(20), nullable=False),
        sa.Column("data", mysql.MEDIUMBLOB, nullable=False),
    )
    op.create_table(
        "sent",
        sa.Column("key", sa.String(40), primary_key=True),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
    )
    op.create_table(
        "model_notes",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("model", sa.String(120), nullable=False, index=True),
        sa.Column("kind", sa.String(8), nullable=False),
        sa.Column("shows", sa.String(80), nullable=False),
        sa.Column("stage", sa.String(16), nullable=False),
        sa.Column("text", sa.String(300), nullable=False),
        sa.Column("by_name", sa.String(80), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("struck_by", sa.String(80), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("model_notes")
    op.drop_table("sent")
    op.drop_table("photographs")
    op.drop_constraint("fk_observations_instrument", "observations", type_="foreignkey")
    op.drop_column("observations", "instrument_id")
