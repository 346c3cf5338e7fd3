"""how many connections a key log has lines of, counted once when it comes"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("key_logs", sa.Column("connections", sa.Integer(), nullable=False, server_default="0"))


def downgrade() -> None:
    op.drop_column("key_logs", "connections")
