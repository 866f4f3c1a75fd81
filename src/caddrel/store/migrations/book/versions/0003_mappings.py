"""Mappings of CSV columns to facts, kept by name."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the table."""
    op.create_table(
        "mappings",
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("columns", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("name"),
    )
