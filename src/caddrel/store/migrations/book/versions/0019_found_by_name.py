"""People and groups found by what a directory calls them, and by their titles, without looking at all of them."""

from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the indexes."""
    for column in ("id", "title"):
        op.execute(f"CREATE INDEX inventory_{column} ON inventory (noun, lower({column}))")
    for name, key in (("user", "userName"), ("external", "externalId"), ("display", "displayName")):
        op.execute(f"CREATE INDEX kept_by_{name} ON kept_by (noun, lower(json_extract(document, '$.{key}')))")
    # Nothing was ever kept there.
    op.execute("DROP INDEX kept_by_keeper")
    op.execute("ALTER TABLE kept_by DROP COLUMN external")
    op.execute("CREATE INDEX kept_by_keeper ON kept_by (keeper, noun)")
