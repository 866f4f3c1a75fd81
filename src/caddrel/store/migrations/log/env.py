"""Alembic's entry for the log file: runs on the connection that the engine hands in."""

from alembic import context

from caddrel.store.log_tables import LOG

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=LOG, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
