"""Imports, and which records came with each."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Make the tables; what is in the log already came with none of them."""
    op.create_table(
        "imports",
        sa.Column("number", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("format", sa.String(), nullable=False),
        sa.Column("mapping", sa.String(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("began", sa.Integer(), nullable=False),
        sa.Column("ended", sa.Integer()),
        sa.Column("added", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("already_there", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("conflicting", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("broken", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("first", sa.Integer()),
        sa.Column("last", sa.Integer()),
        sa.Column("taken_back", sa.Integer()),
        sa.Column("taken_back_by", sa.String()),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "import_ranges",
        sa.Column("import", sa.Integer(), primary_key=True),
        sa.Column("first", sa.Integer(), primary_key=True),
        sa.Column("last", sa.Integer(), nullable=False),
        sqlite_with_rowid=False,
    )
    op.create_index("import_ranges_last", "import_ranges", ["last"])
