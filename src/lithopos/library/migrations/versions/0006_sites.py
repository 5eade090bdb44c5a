"""Sites with their revisions; of a shot's revision, which accepted change it stands for since its site moved on.

Of a render, which machines of a cluster work on it.
"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.add_column("revisions", sa.Column("stands_for", sa.Integer()))
    op.add_column("renders", sa.Column("worked_on", sa.JSON(none_as_null=True)))
    project = sa.ForeignKey("projects.id", ondelete="CASCADE")
    op.create_table(
        "sites",
        sa.Column("project_id", sa.String(16), project, primary_key=True),
        sa.Column("head", sa.Integer(), nullable=False),
    )
    site = sa.ForeignKey("sites.project_id", ondelete="CASCADE")
    op.create_table(
        "site_revisions",
        sa.Column("project_id", sa.String(16), site, primary_key=True),
        sa.Column("number", sa.Integer(), primary_key=True),
        sa.Column("parent", sa.Integer()),
        sa.Column("label", sa.String(200), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("site_revisions")
    op.drop_table("sites")
    op.drop_column("renders", "worked_on")
    op.drop_column("revisions", "stands_for")
