"""what a device kept while it had no connection is stored once, however often it is sent"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("observations", sa.Column("sent_key", sa.String(40), nullable=True))
    op.create_index("ix_observations_sent_key", "observations", ["sent_key"], unique=True)


def downgrade() -> None:
    op.drop_index("ix_observations_sent_key", "observations")
    op.drop_column("observations", "sent_key")
