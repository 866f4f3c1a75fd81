"""Indexes of people, devices and references stretch by stretch."""

from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Lay the indexes out anew."""
    for index in ("signins_person", "signins_device", "records_reference"):
        op.execute(f"DROP INDEX {index}")
    op.execute("ALTER TABLE signins ADD COLUMN stretch INTEGER GENERATED ALWAYS AS (at >> 37) VIRTUAL")
    op.execute("ALTER TABLE records ADD COLUMN block INTEGER GENERATED ALWAYS AS (seq >> 16) VIRTUAL")
    op.execute("CREATE INDEX signins_person ON signins (stretch, person, at, seq)")
    op.execute("CREATE INDEX signins_device ON signins (stretch, device, at, seq)")
    op.execute("CREATE INDEX records_reference ON records (block, reference)")
    op.execute("CREATE TABLE stretches (number INTEGER NOT NULL PRIMARY KEY)")
    op.execute("INSERT INTO stretches SELECT DISTINCT at >> 37 FROM signins")
