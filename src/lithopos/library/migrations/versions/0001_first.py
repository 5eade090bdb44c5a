"""The first tables: projects, files, shots, revisions, renders."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "projects",
        sa.Column("id", sa.String(16), primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("created_at", sa.DateTime, nullable=False),
    )
    op.create_table(
        "files",
        sa.Column("sha256", sa.String(64), primary_key=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("media_type", sa.String(80), nullable=False),
        sa.Column("size_bytes", sa.Integer, nullable=False),
        sa.Column("told", sa.JSON, nullable=False),
        sa.Column("created_at", sa.DateTime, nullable=False),
    )
    op.create_table(
        "project_files",
        sa.Column("project_id", sa.String(16), sa.ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("sha256", sa.String(64), sa.ForeignKey("files.sha256"), primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
    )
    op.create_table(
        "shots",
        sa.Column("id", sa.String(16), primary_key=True),
        sa.Column("project_id", sa.String(16), sa.ForeignKey("projects.id", ondelete="CASCADE"), nullable=False),
        sa.Column("head", sa.Integer, nullable=False),
        sa.Column("created_at", sa.DateTime, nullable=False),
    )
    op.create_index("ix_shots_project_id", "shots", ["project_id"])
    op.create_table(
        "revisions",
        sa.Column("shot_id", sa.String(16), sa.ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("parent", sa.Integer),
        sa.Column("label", sa.String(200), nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
        sa.Column("created_at", sa.DateTime, nullable=False),
    )
    op.create_table(
        "renders",
        sa.Column("id", sa.String(16), primary_key=True),
        sa.Column("shot_id", sa.String(16), nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("quality", sa.String(10), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("passes_done", sa.Integer, nullable=False),
        sa.Column("passes", sa.Integer, nullable=False),
        sa.Column("samples", sa.Integer, nullable=False),
        sa.Column("seconds_left", sa.Float),
        sa.Column("reason", sa.String(500)),
        sa.Column("worker", sa.String(40)),
        sa.Column("created_at", sa.DateTime, nullable=False),
        sa.Column("finished_at", sa.DateTime),
        sa.ForeignKeyConstraint(["shot_id", "revision"], ["revisions.shot_id", "revisions.number"], ondelete="CASCADE"),
    )
    op.create_index("ix_renders_shot", "renders", ["shot_id", "created_at"])


def downgrade() -> None:
    for table in ("renders", "revisions", "shots", "project_files", "files", "projects"):
        op.drop_table(table)
