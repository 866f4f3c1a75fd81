"""A sign-in tells its session itself: no index is needed for that, and each decision is stored a little quicker."""

from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Take the index out."""
    op.drop_index("door_sessions_signin", "door_sessions")
