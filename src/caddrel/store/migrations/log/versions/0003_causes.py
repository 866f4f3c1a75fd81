"""Causes of blocks and challenges; those of the records that are there are worked out when the service starts."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the column, its index and the table, and make every person due."""
    op.create_table(
        "causes",
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("document", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("key"),
    )
    op.add_column("signins", sa.Column("cause", sa.String(), nullable=True))
    op.create_index("signins_cause", "signins", ["cause", "at", "seq"])
    op.execute("DELETE FROM due")
    op.execute("INSERT INTO due SELECT person, min(at) FROM signins WHERE person IS NOT NULL GROUP BY person")
