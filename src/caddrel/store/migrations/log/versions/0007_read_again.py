"""Words of earlier releases are read again: in their lists' spelling, and apart where they are on none.

What drafts in shadow make of decisions has a table of its own, since it is worked out after they are answered.
"""

import hashlib
import json
from typing import Any

import sqlalchemy as sa
from alembic import op

from caddrel.core.facts.record import encoded
from caddrel.core.facts.catalogue import FACTS
from caddrel.core.facts.values import ValueRefused, read_told, to_json

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

_AT_ONCE = 2_000


def upgrade() -> None:
    """Read the bundles of facts again, and add the table."""
    connection = op.get_bind()
    after = 0
    while True:
        rows = connection.execute(
            sa.text(
                "SELECT number, kind, document FROM bundles WHERE number > :after AND kind <> 'recorded' "
                "ORDER BY number LIMIT :most"
            ),
            {"after": after, "most": _AT_ONCE},
        ).all()
        for number, kind, document in rows:
            again = read_again(json.loads(document))
            if again is not None:
                text = encoded(again)
                digest = hashlib.blake2b(text, digest_size=16, person=kind.encode()).digest()
                # Where the same is there already, this one keeps its digest: nothing looks for it any more.
                connection.execute(
                    sa.text(
                        "UPDATE bundles SET document = :text, digest = CASE WHEN EXISTS "
                        "(SELECT 1 FROM bundles WHERE digest = :digest) THEN digest ELSE :digest END "
                        "WHERE number = :number"
                    ),
                    {"text": text.decode(), "digest": digest, "number": number},
                )
        if len(rows) < _AT_ONCE:
            break
        after = rows[-1].number
    op.create_table(
        "draft_outcomes",
        sa.Column("draft", sa.String(), nullable=False),
        sa.Column("at", sa.Integer(), nullable=False),
        sa.Column("signin", sa.String(), nullable=False),
        sa.Column("outcome", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("draft", "at", "signin"),
        sqlite_with_rowid=False,
    )
    for table in ("records", "bundles", "decisions"):
        op.add_column(table, sa.Column("mac", sa.LargeBinary()))
    op.create_table(
        "log_seal",
        sa.Column("changes", sa.Integer(), primary_key=True),
        sa.Column("sealed", sa.Integer(), nullable=False),
        sa.Column("total", sa.LargeBinary(), nullable=False),
        sa.Column("seal", sa.String(), nullable=False),
    )
    op.create_index("draft_outcomes_signin", "draft_outcomes", ["signin"])


def read_again(document: dict[str, Any]) -> dict[str, Any] | None:
    """Return a bundle with its words read again, None when that changes nothing."""
    values, strange = dict(document.get("values", {})), dict(document.get("not_understood", {}))
    for name, (origin, value) in document.get("values", {}).items():
        spec = FACTS.get(name)
        if spec is None or not spec.words:
            continue
        try:
            read, said = read_told(spec, value)
        except ValueRefused:
            continue
        if said is not None:
            strange.setdefault(name, [origin, said])
        if read is None:
            del values[name]
        else:
            values[name] = [origin, to_json(read)]
    made = {**document, "values": values, **({"not_understood": strange} if strange else {})}
    if not values:
        made.pop("values", None)
    return None if made == document else made
