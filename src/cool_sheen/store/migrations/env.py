"""Alembic's entry: runs on the connection that it is handed."""

from alembic import context

from cool_sheen.store.models import Base

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=Base.metadata,
    render_as_batch=True,
)
with context.begin_transaction():
    context.run_migrations()
