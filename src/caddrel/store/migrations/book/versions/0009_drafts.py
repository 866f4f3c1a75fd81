"""Drafts."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Make the table."""
    op.create_table(
        "drafts",
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("base", sa.Integer(), nullable=False),
        sa.Column("files", sa.Text(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("begun", sa.Integer(), nullable=False),
        sa.Column("begun_by", sa.String(), nullable=False),
        sa.Column("saved", sa.Integer(), nullable=False),
        sa.Column("saved_by", sa.String(), nullable=False),
        sa.Column("discarded", sa.Integer()),
        sa.PrimaryKeyConstraint("name"),
    )
