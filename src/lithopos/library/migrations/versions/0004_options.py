"""Renders of options."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.add_column("renders", sa.Column("option", sa.String(40)))


def downgrade() -> None:
    op.drop_column("renders", "option")
