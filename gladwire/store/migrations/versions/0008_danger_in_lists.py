"""whether a judgement tells something that can hurt somebody, for lists that open no result"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("judgements", sa.Column("danger", sa.Boolean(), nullable=False, server_default="0"))


def downgrade() -> None:
    op.drop_column("judgements", "danger")
