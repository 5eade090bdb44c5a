"""Renders of options; lists of files that a project keeps by name."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.add_column("renders", sa.Column("option", sa.String(40)))
    op.add_column("projects", sa.Column("recipes", sa.JSON(), nullable=False, server_default="{}"))


def downgrade() -> None:
    op.drop_column("projects", "recipes")
    op.drop_column("renders", "option")
