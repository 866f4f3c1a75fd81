"""Changes of what every decision asks about are counted, so that other changes of the file are known not to be theirs."""

from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None

TABLES = ("tokens", "drafts", "unlocks")


def upgrade() -> None:
    """Add a counter for each of the tables, and what counts."""
    for table in TABLES:
        op.execute(f"INSERT INTO counters (name, value) VALUES ('{table}', 1)")
        for change in ("INSERT", "UPDATE", "DELETE"):
            op.execute(
                f"CREATE TRIGGER {table}_{change.lower()}_counted AFTER {change} ON {table} "
                f"BEGIN UPDATE counters SET value = value + 1 WHERE name = '{table}'; END"
            )
