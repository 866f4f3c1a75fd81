"""With which change of the inventory each object came, so that an index needs to read only what is new."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the column and its index."""
    op.add_column("inventory", sa.Column("version", sa.Integer(), nullable=False, server_default="0"))
    op.create_index("inventory_version", "inventory", ["version"])
