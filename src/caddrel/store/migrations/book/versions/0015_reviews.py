"""When policies were reviewed."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the table."""
    op.create_table(
        "reviews",
        sa.Column("seq", sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column("policy", sa.String(), nullable=False),
        sa.Column("digest", sa.String(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("at", sa.Integer(), nullable=False),
        sa.Column("again", sa.Integer(), nullable=True),
        sa.Column("note", sa.String(), nullable=False),
    )
    op.create_index("reviews_policy", "reviews", ["policy", "seq"])
