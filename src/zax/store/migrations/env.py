"""Runs migrations on the connection that zax.store.migrate hands over."""

from alembic import context

from zax.store.schema import metadata

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=metadata, compare_type=True)
with context.begin_transaction():
    context.run_migrations()
