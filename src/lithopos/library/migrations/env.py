"""Runs the library's migrations on the connection that it hands over."""

from alembic import context

from lithopos.library.models import Base

context.configure(
    connection=context.config.attributes["connection"], target_metadata=Base.metadata, render_as_batch=True
)
with context.begin_transaction():
    context.run_migrations()
