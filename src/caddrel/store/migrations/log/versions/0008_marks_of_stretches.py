"""A mark for each stretch of time, which changes with its records."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the marks; no two stretches begin with the same."""
    op.add_column("stretches", sa.Column("mark", sa.Integer(), nullable=False, server_default="0"))
    op.execute("UPDATE stretches SET mark = random() >> 2")
