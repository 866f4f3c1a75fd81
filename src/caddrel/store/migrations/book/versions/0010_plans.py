"""Drafts that are published at a time, and drafts in shadow."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the columns."""
    op.add_column("drafts", sa.Column("shadowed", sa.Integer()))
    op.add_column("drafts", sa.Column("planned", sa.Integer()))
    for name in ("planned_by", "planned_why", "planned_risk", "planned_failed"):
        op.add_column("drafts", sa.Column(name, sa.String(), nullable=False, server_default=""))
