"""cases wait for somebody and end in a way; everything is listed where it is found"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

_MOMENT = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    op.add_column("cases", sa.Column("waits_on", sa.String(8), nullable=False, server_default=""))
    op.add_column("cases", sa.Column("waits_since", _MOMENT, nullable=True))
    op.execute("UPDATE cases SET waits_since = created_at WHERE waits_since IS NULL")
    op.alter_column("cases", "waits_since", existing_type=_MOMENT, nullable=False)
    op.add_column("cases", sa.Column("back_on", sa.Date(), nullable=True))
    op.add_column("cases", sa.Column("closed_as", sa.String(14), nullable=False, server_default=""))
    op.add_column("judgements", sa.Column("words", mysql.MEDIUMTEXT(), nullable=True))
    op.execute("UPDATE judgements SET words = '' WHERE words IS NULL")
    op.alter_column("judgements", "words", existing_type=mysql.MEDIUMTEXT(), nullable=False)
    op.create_table(
        "listed",
        sa.Column("kind", sa.String(8), primary_key=True),
        sa.Column("ref", sa.Integer(), primary_key=True, autoincrement=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("title", sa.String(300), nullable=False),
        sa.Column("says", sa.String(300), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("waits_on", sa.String(8), nullable=False),
        sa.Column("danger", sa.Boolean(), nullable=False),
        sa.Column("at", _MOMENT, nullable=False),
        sa.Column("since", _MOMENT, nullable=False),
        sa.Column("back_on", sa.Date(), nullable=True),
        sa.Column("case_id", sa.Integer(), nullable=True),
        sa.Column("words", mysql.MEDIUMTEXT(), nullable=False),
    )
    op.create_index("ix_listed_waiting", "listed", ["kind", "state", "waits_on", "danger", "since"])
    op.create_index("ix_listed_in", "listed", ["kind", "case_id", "at"])
    op.create_index("ix_listed_at", "listed", ["kind", "at"])
    op.create_index("ix_listed_newest", "listed", ["at", "ref"])
    op.create_index("ix_listed_words", "listed", ["title", "words"], mariadb_prefix="FULLTEXT", mysql_prefix="FULLTEXT")


def downgrade() -> None:
    op.drop_table("listed")
    op.drop_column("judgements", "words")
    for column in ("closed_as", "back_on", "waits_since", "waits_on"):
        op.drop_column("cases", column)
