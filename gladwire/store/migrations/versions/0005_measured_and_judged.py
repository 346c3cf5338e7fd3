"""measurements of captures apart from judgements of sessions, and a format number on all that is kept"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

_MOMENT = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    op.rename_table("analyses", "measurements")
    op.alter_column("measurements", "analyser", new_column_name="measures", existing_type=sa.Integer(), nullable=False)
    op.execute("ALTER TABLE measurements RENAME INDEX ix_analyses_capture_id TO ix_measurements_capture_id")
    op.drop_column("measurements", "outcome")
    op.drop_column("measurements", "verdict")
    op.add_column("measurements", sa.Column("reads", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("measurements", sa.Column("format", sa.Integer(), nullable=False, server_default="1"))
    op.add_column("captures", sa.Column("reads", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("settlements", sa.Column("format", sa.Integer(), nullable=False, server_default="1"))
    op.add_column("settlements", sa.Column("reader", sa.String(length=24), nullable=False, server_default=""))
    op.add_column("equipment", sa.Column("format", sa.Integer(), nullable=False, server_default="1"))
    # Every session there is waits for its first stored judgement.
    op.add_column("charging_sessions", sa.Column("asked", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("charging_sessions", sa.Column("judged", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("charging_sessions", sa.Column("judge", sa.String(length=64), nullable=False, server_default=""))
    op.add_column("charging_sessions", sa.Column("judging_since", _MOMENT, nullable=True))
    op.execute("UPDATE charging_sessions SET asked = 1")
    op.create_table(
        "judgements",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("session_id", sa.Integer(), nullable=False),
        sa.Column("judges", sa.Integer(), nullable=False),
        sa.Column("format", sa.Integer(), nullable=False),
        sa.Column("made_of", sa.Text(), nullable=False),
        sa.Column("outcome", sa.String(length=20), nullable=False),
        sa.Column("verdict", sa.Text(), nullable=False),
        sa.Column("next_test", sa.Text(), nullable=False),
        sa.Column("stages", sa.Text(), nullable=False),
        sa.Column("result", mysql.LONGBLOB(), nullable=False),
        sa.Column("refusal", sa.Text(), nullable=False),
        sa.Column("made_at", _MOMENT, nullable=False),
        sa.ForeignKeyConstraint(["session_id"], ["charging_sessions.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("session_id"),
    )


def downgrade() -> None:
    op.drop_table("judgements")
    for column in ("judging_since", "judge", "judged", "asked"):
        op.drop_column("charging_sessions", column)
    op.drop_column("equipment", "format")
    op.drop_column("settlements", "reader")
    op.drop_column("settlements", "format")
    op.drop_column("captures", "reads")
    # What the release before cannot read is made anew by it.
    op.execute("DELETE FROM measurements")
    op.drop_column("measurements", "format")
    op.drop_column("measurements", "reads")
    op.add_column("measurements", sa.Column("verdict", sa.Text(), nullable=False))
    op.add_column("measurements", sa.Column("outcome", sa.String(length=20), nullable=False))
    op.alter_column("measurements", "measures", new_column_name="analyser", existing_type=sa.Integer(), nullable=False)
    op.execute("ALTER TABLE measurements RENAME INDEX ix_measurements_capture_id TO ix_analyses_capture_id")
    op.rename_table("measurements", "analyses")
    op.execute("UPDATE captures SET state = 'received', attempts = 0 WHERE state = 'analysed'")
