"""which cause a judgement names first, for the pages of causes"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("judgements", sa.Column("leads", sa.String(60), nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("judgements", "leads")
