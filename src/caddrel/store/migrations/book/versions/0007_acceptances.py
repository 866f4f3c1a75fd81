"""Acceptances of notices."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Make the table."""
    op.create_table(
        "acceptances",
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("notice", sa.String(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("accepted", sa.Integer(), nullable=False),
        sa.Column("door", sa.String(), nullable=False),
        sa.Column("signin", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("seq"),
    )
    op.create_index("acceptances_person", "acceptances", ["person", "notice", "version"], unique=True)
