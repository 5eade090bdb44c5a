"""Renders of a part of the picture, and such as make an earlier one finer; the noise that is left."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.add_column("renders", sa.Column("part", sa.JSON()))
    op.add_column("renders", sa.Column("goes_on", sa.String(16)))
    op.add_column("renders", sa.Column("wanted", sa.Integer()))
    op.add_column("renders", sa.Column("noise", sa.Float()))


def downgrade() -> None:
    for name in ("noise", "wanted", "goes_on", "part"):
        op.drop_column("renders", name)
