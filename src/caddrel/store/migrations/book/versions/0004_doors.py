"""What the token of a door may report."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the columns."""
    op.add_column("tokens", sa.Column("reports", sa.Text(), nullable=True))
    op.add_column("tokens", sa.Column("sees", sa.Boolean(), nullable=False, server_default="0"))
