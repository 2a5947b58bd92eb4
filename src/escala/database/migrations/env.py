"""Runs the migrations on the connection that `open_database` hands over."""

from alembic import context

from escala.database.tables import Base

context.configure(
    connection=context.config.attributes["connection"], target_metadata=Base.metadata, render_as_batch=True
)
with context.begin_transaction():
    context.run_migrations()
