"""What was last proven of the rulebook in force."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the table."""
    op.create_table(
        "proven",
        sa.Column("kind", sa.String(), primary_key=True),
        sa.Column("name", sa.String(), primary_key=True),
        sa.Column("definition", sa.String(), nullable=False),
        sa.Column("answer", sa.String(), nullable=False),
        sa.Column("since", sa.Integer(), nullable=False),
        sa.Column("before", sa.String(), nullable=False),
    )
