"""What signals look back at: columns of earlier attempts, and the people whose signals are due again."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

_FACTS = {"city": "network.city", "asn": "network.asn", "client_name": "client.name"}


def upgrade() -> None:
    """Add the columns, and fill them from the facts that the records hold."""
    op.add_column("signins", sa.Column("city", sa.String(), nullable=True))
    op.add_column("signins", sa.Column("asn", sa.Integer(), nullable=True))
    op.add_column("signins", sa.Column("client_name", sa.String(), nullable=True))
    op.add_column("signins", sa.Column("latitude", sa.Float(), nullable=True))
    op.add_column("signins", sa.Column("longitude", sa.Float(), nullable=True))
    op.add_column("signins", sa.Column("let_in", sa.Boolean(), nullable=False, server_default="0"))
    for column, fact in _FACTS.items():
        op.execute(f"""UPDATE signins SET {column} = json_extract(facts, '$.values."{fact}"[1]')""")
    op.execute("UPDATE signins SET let_in = outcome = 'allowed' AND coalesce(credentials, '') != 'wrong'")
    op.create_table(
        "due",
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("since", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("person"),
    )
