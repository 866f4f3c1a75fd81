"""What a session hangs on, so that it is decided again when that changes; and changes that are held back."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the columns and tables; sessions of an earlier release are decided again at their next request."""
    for name in ("facts", "asks", "because"):
        op.add_column("door_sessions", sa.Column(name, sa.Text(), nullable=False, server_default=""))
    op.add_column("door_sessions", sa.Column("look_again", sa.Integer(), nullable=True))
    op.add_column("door_sessions", sa.Column("held", sa.Integer(), nullable=True))
    open_ = sa.text("ended IS NULL")
    for name in ("person", "device", "app", "look_again"):
        op.create_index(f"door_sessions_{name}", "door_sessions", [name], sqlite_where=open_)
    op.create_index("door_sessions_signin", "door_sessions", ["signin"])
    op.create_table(
        "held_changes",
        sa.Column("number", sa.Integer(), primary_key=True),
        sa.Column("at", sa.Integer(), nullable=False),
        sa.Column("because", sa.Text(), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.Column("decided", sa.Integer(), nullable=True),
        sa.Column("decided_by", sa.String(), nullable=False, server_default=""),
        sa.Column("verdict", sa.String(), nullable=False, server_default=""),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "marks",
        sa.Column("name", sa.String(), primary_key=True),
        sa.Column("value", sa.Integer(), nullable=False),
    )
