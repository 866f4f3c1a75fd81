"""What was set aside on the watch page."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the table."""
    op.create_table(
        "set_aside",
        sa.Column("key", sa.String(), primary_key=True),
        sa.Column("mark", sa.String(), nullable=False),
        sa.Column("why", sa.String(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("at", sa.Integer(), nullable=False),
    )
