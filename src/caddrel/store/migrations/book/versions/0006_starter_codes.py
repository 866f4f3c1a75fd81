"""Starter codes."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Make the table."""
    op.create_table(
        "starter_codes",
        sa.Column("id", sa.String(), nullable=False),
        sa.Column("digest", sa.String(), nullable=False),
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("starts", sa.Integer(), nullable=False),
        sa.Column("ends", sa.Integer(), nullable=False),
        sa.Column("issued", sa.Integer(), nullable=False),
        sa.Column("issued_by", sa.String(), nullable=False),
        sa.Column("used", sa.Integer()),
        sa.Column("used_for", sa.String()),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("digest"),
    )
