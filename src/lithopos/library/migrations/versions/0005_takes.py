"""Work on takes: which stage of it is under way."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.add_column("renders", sa.Column("stage", sa.String(10)))


def downgrade() -> None:
    op.drop_column("renders", "stage")
