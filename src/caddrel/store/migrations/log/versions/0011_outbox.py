"""What others are to be told: events in the order in which they happened, and what was told of each subject last."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the tables."""
    op.create_table(
        "outbox",
        sa.Column("seq", sa.Integer(), primary_key=True),
        sa.Column("jti", sa.String(), nullable=False, unique=True),
        sa.Column("at", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("person", sa.String(), nullable=False, server_default=""),
        sa.Column("session", sa.String(), nullable=False, server_default=""),
        sa.Column("device", sa.String(), nullable=False, server_default=""),
        sa.Column("said", sa.Text(), nullable=False, server_default=""),
        sa.Column("stream", sa.String(), nullable=False, server_default=""),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "acknowledged",
        sa.Column("stream", sa.String(), primary_key=True),
        sa.Column("seq", sa.Integer(), primary_key=True),
        sqlite_with_rowid=False,
    )
    op.create_table(
        "last_told",
        sa.Column("noun", sa.String(), primary_key=True),
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("state", sa.Text(), nullable=False),
        sqlite_with_rowid=False,
    )
