"""Tokens that may do only some things."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the column."""
    op.add_column("tokens", sa.Column("only", sa.Text(), nullable=False, server_default="[]"))
