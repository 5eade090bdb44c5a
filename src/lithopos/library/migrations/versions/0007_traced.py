"""Of a render, how long it was traced: a proof that follows is made anew without."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.add_column("renders", sa.Column("traced_s", sa.Float()))


def downgrade() -> None:
    op.drop_column("renders", "traced_s")
