"""Risks by feed, who was put off by which feed, sources of lists and devices, devices that are refused."""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the tables; a risk that was lent is one that its feed has told."""
    op.create_table(
        "told_risks",
        sa.Column("person", sa.String(), primary_key=True),
        sa.Column("feed", sa.String(), primary_key=True),
        sa.Column("level", sa.String(), nullable=False),
        sa.Column("until", sa.Integer(), nullable=False),
        sqlite_with_rowid=False,
    )
    op.create_index("told_risks_until", "told_risks", ["until"])
    op.create_table(
        "risks_before",
        sa.Column("person", sa.String(), primary_key=True),
        sa.Column("level", sa.String(), nullable=False),
        sa.Column("before", sa.String(), nullable=True),
    )
    op.execute("INSERT INTO told_risks (person, feed, level, until) SELECT person, feed, level, until FROM lent_risks")
    op.execute("INSERT INTO risks_before (person, level, before) SELECT person, level, before FROM lent_risks")
    op.drop_table("lent_risks")
    op.create_table(
        "put_off",
        sa.Column("person", sa.String(), primary_key=True),
        sa.Column("feed", sa.String(), primary_key=True),
        sa.Column("off", sa.String(), nullable=False),
        sqlite_with_rowid=False,
    )
    op.create_table(
        "sources",
        sa.Column("name", sa.String(), primary_key=True),
        sa.Column("noun", sa.String(), nullable=False),
        sa.Column("source", sa.String(), nullable=False),
        sa.Column("every", sa.Integer(), nullable=False),
        sa.Column("paused", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("added", sa.Integer(), nullable=False),
        sa.Column("added_by", sa.String(), nullable=False),
        sa.Column("tag", sa.String(), nullable=False, server_default=""),
        sa.Column("last", sa.Integer(), nullable=True),
        sa.Column("error", sa.Text(), nullable=False, server_default=""),
        sa.Column("held", sa.String(), nullable=False, server_default=""),
        sa.Column("accepted", sa.String(), nullable=False, server_default=""),
    )
    op.create_table(
        "refused_devices",
        sa.Column("device", sa.String(), primary_key=True),
        sa.Column("at", sa.Integer(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("why", sa.Text(), nullable=False, server_default=""),
    )
