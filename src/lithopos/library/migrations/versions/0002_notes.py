"""What is doubtful in a render, told beside its picture."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.add_column("renders", sa.Column("notes", sa.String(1000)))


def downgrade() -> None:
    op.drop_column("renders", "notes")
