"""Alembic's entry for the book file: runs on the connection that the engine hands in."""

from alembic import context

from caddrel.store.book_tables import BOOK

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=BOOK, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
