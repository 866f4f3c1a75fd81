"""When objects of the inventory were taken out."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the column."""
    op.add_column("inventory", sa.Column("removed_at", sa.Integer()))
