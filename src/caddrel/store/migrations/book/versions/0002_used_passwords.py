"""Digests of used passwords, for standards that forbid the last ones."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the table."""
    op.create_table(
        "used_passwords",
        sa.Column("seq", sa.Integer(), autoincrement=True, nullable=False),
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("salt", sa.String(), nullable=False),
        sa.Column("digest", sa.String(), nullable=False),
        sa.Column("set_at", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("seq"),
    )
    op.create_index("used_passwords_person", "used_passwords", ["person", "seq"])
