"""Sessions of doors."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Make the table."""
    op.create_table(
        "door_sessions",
        sa.Column("id", sa.String(), nullable=False),
        sa.Column("door", sa.String(), nullable=False),
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("app", sa.String(), nullable=False),
        sa.Column("device", sa.String()),
        sa.Column("started", sa.Integer(), nullable=False),
        sa.Column("seen", sa.Integer(), nullable=False),
        sa.Column("methods", sa.Text(), nullable=False),
        sa.Column("keep", sa.Text(), nullable=False),
        sa.Column("signin", sa.String(), nullable=False),
        sa.Column("ended", sa.Integer()),
        sa.Column("ended_by", sa.String()),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(
        "door_sessions_open", "door_sessions", ["seen", "id"], sqlite_where=sa.text("ended IS NULL")
    )
