"""The audit trail, and why a revision was published against the lock-out check."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Make the table with the triggers that keep it as it is, and add the column."""
    op.add_column("revisions", sa.Column("override", sa.Text(), nullable=False, server_default=""))
    op.create_table(
        "audit",
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("at", sa.Integer(), nullable=False),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("did", sa.String(), nullable=False),
        sa.Column("target", sa.String(), nullable=False),
        sa.Column("outcome", sa.String(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("request_id", sa.String(), nullable=False),
        sa.Column("hash", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("seq"),
    )
    for change in ("UPDATE", "DELETE"):
        op.execute(
            f"CREATE TRIGGER audit_no_{change.lower()} BEFORE {change} ON audit "
            "BEGIN SELECT RAISE(ABORT, 'the audit trail is only added to'); END"
        )
