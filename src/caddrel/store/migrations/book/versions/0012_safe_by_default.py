"""Meaning of revisions, versions in shadow and planned, lock-outs lifted, use of tokens, second factors, sealed audit."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the columns and tables."""
    op.add_column("revisions", sa.Column("meaning", sa.Integer(), nullable=False, server_default="1"))
    for name, kind, default in (
        ("shadow_version", sa.Integer(), None),
        ("shadow_files", sa.Text(), None),
        ("planned_version", sa.Integer(), None),
        ("planned_token", sa.String(), ""),
        ("planned_rehearsals", sa.String(), ""),
    ):
        op.add_column("drafts", sa.Column(name, kind, nullable=default is None, server_default=default))
    # What was in shadow was what had been saved last.
    op.execute("UPDATE drafts SET shadow_version = version, shadow_files = files WHERE shadowed IS NOT NULL")
    op.execute("UPDATE drafts SET planned_version = version WHERE planned IS NOT NULL")
    op.add_column("tokens", sa.Column("used_at", sa.Integer()))
    op.add_column("tokens", sa.Column("used_from", sa.String(), nullable=False, server_default=""))
    op.add_column("sessions", sa.Column("seen_at", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("sessions", sa.Column("proved_at", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("sessions", sa.Column("address", sa.String(), nullable=False, server_default=""))
    op.add_column("sessions", sa.Column("half", sa.Boolean(), nullable=False, server_default="0"))
    op.execute("UPDATE sessions SET seen_at = created_at, proved_at = created_at")
    op.add_column("accounts", sa.Column("totp", sa.Text()))
    op.add_column("accounts", sa.Column("totp_used", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("audit", sa.Column("address", sa.String(), nullable=False, server_default=""))
    op.add_column("starter_codes", sa.Column("revoked", sa.Integer()))
    op.create_table(
        "passkeys",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("account", sa.String(), sa.ForeignKey("accounts.name"), nullable=False),
        sa.Column("public_key", sa.LargeBinary(), nullable=False),
        sa.Column("sign_count", sa.Integer(), nullable=False),
        sa.Column("title", sa.String(), nullable=False),
        sa.Column("created_at", sa.Integer(), nullable=False),
        sa.Column("used_at", sa.Integer()),
    )
    op.create_table(
        "unlocks",
        sa.Column("person", sa.String(), primary_key=True),
        sa.Column("at", sa.Integer(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
    )
