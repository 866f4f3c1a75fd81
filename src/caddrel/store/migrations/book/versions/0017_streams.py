"""Streams of events to others, feeds of events from others, and the keys that events are signed with."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the tables."""
    op.create_table(
        "event_streams",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("receiver", sa.String(), nullable=False),
        sa.Column("document", sa.Text(), nullable=False),
        sa.Column("locked", sa.Text(), nullable=False, server_default=""),
        sa.Column("status", sa.String(), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False, server_default=""),
        sa.Column("created", sa.Integer(), nullable=False),
    )
    op.create_table(
        "signing_keys",
        sa.Column("kid", sa.String(), primary_key=True),
        sa.Column("locked", sa.Text(), nullable=False),
        sa.Column("created", sa.Integer(), nullable=False),
        sa.Column("retired", sa.Integer(), nullable=True),
    )
    op.create_table(
        "feeds",
        sa.Column("name", sa.String(), primary_key=True),
        sa.Column("issuer", sa.String(), nullable=False, unique=True),
        sa.Column("document", sa.Text(), nullable=False),
        sa.Column("paused", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("added", sa.Integer(), nullable=False),
        sa.Column("added_by", sa.String(), nullable=False),
        sa.Column("last", sa.Integer(), nullable=True),
        sa.Column("events", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("error", sa.Text(), nullable=False, server_default=""),
    )
    op.create_table(
        "heard",
        sa.Column("issuer", sa.String(), primary_key=True),
        sa.Column("jti", sa.String(), primary_key=True),
        sa.Column("at", sa.Integer(), nullable=False),
        sqlite_with_rowid=False,
    )
    op.create_index("heard_at", "heard", ["at"])
    op.create_table(
        "lent_risks",
        sa.Column("person", sa.String(), primary_key=True),
        sa.Column("feed", sa.String(), nullable=False),
        sa.Column("level", sa.String(), nullable=False),
        sa.Column("before", sa.String(), nullable=True),
        sa.Column("until", sa.Integer(), nullable=False),
    )
    op.create_table(
        "kept_by",
        sa.Column("noun", sa.String(), primary_key=True),
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("keeper", sa.String(), nullable=False),
        sa.Column("external", sa.String(), nullable=False, server_default=""),
        sa.Column("document", sa.Text(), nullable=False, server_default=""),
        sa.Column("created", sa.Integer(), nullable=False),
        sa.Column("changed", sa.Integer(), nullable=False),
        sqlite_with_rowid=False,
    )
    op.create_index("kept_by_keeper", "kept_by", ["keeper", "noun", "external"])
