"""Narrow rows in order of time, and beside them, once each, the facts and decisions that records have in common."""

import hashlib
import json
from collections import Counter
from typing import Any

import sqlalchemy as sa
from alembic import op

from caddrel.core.columnar.fact_groups import GROUPS, split
from caddrel.core.logs.references import number_for, without_reference

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

_INDEXES = ("app", "at", "country", "device", "outcome", "person", "policy", "reference", "cause")
_DECISION = ("outcome", "reason", "certain", "policy", "rule")
_AGES = ("device.state_age", "device.listed_for", "auth.age")


def upgrade() -> None:
    """Make the new tables, and fill them from the old one."""
    for name in _INDEXES:
        op.drop_index(f"signins_{name}", "signins")
    op.rename_table("signins", "old_signins")
    _make_tables()
    connection = op.get_bind()
    numbers: dict[bytes, int] = {}
    counts: Counter[tuple[int, str]] = Counter()
    last = 0
    while True:
        wanted = sa.text("SELECT * FROM old_signins WHERE seq > :last ORDER BY seq LIMIT 500")
        rows = connection.execute(wanted, {"last": last}).all()
        if not rows:
            break
        for row in rows:
            _move(connection, row, numbers)
            counts[row.at // 86_400_000_000, row.outcome] += 1
        last = rows[-1].seq
    for (day, outcome), count in counts.items():
        connection.exec_driver_sql("INSERT INTO days VALUES (?, ?, ?)", (day, outcome, count))
    op.drop_table("old_signins")


def _make_tables() -> None:
    op.create_table(
        "records",
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("at", sa.Integer(), nullable=False),
        sa.Column("id", sa.String(), nullable=False),
        sa.Column("reference", sa.Integer(), nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("own", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("seq"),
        sa.UniqueConstraint("id"),
    )
    op.create_index("records_reference", "records", ["reference"])
    facts = [sa.Column(f"{group}_facts", sa.Integer(), nullable=False) for group in GROUPS]
    op.create_table(
        "signins",
        sa.Column("at", sa.Integer(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("person", sa.String()),
        sa.Column("app", sa.String()),
        sa.Column("device", sa.String()),
        *facts,
        sa.Column("recorded", sa.Integer(), nullable=False),
        sa.Column("state_age", sa.Float()),
        sa.Column("listed_for", sa.Float()),
        sa.Column("auth_age", sa.Float()),
        sa.Column("let_in", sa.Integer(), nullable=False),
        sa.Column("outcome", sa.String(), nullable=False),
        sa.Column("policy", sa.String()),
        sa.Column("cause", sa.String()),
        sa.Column("decision", sa.Integer(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("at", "seq"),
        sqlite_with_rowid=False,
    )
    for name in ("person", "device", "app"):
        op.create_index(f"signins_{name}", "signins", [name, "at", "seq"])
    for name in ("policy", "cause"):
        op.create_index(
            f"signins_{name}", "signins", [name, "at", "seq"], sqlite_where=sa.text(f"{name} IS NOT NULL")
        )
    op.create_table(
        "bundles",
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("document", sa.Text(), nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("number"),
        sa.UniqueConstraint("digest"),
        sqlite_autoincrement=True,
    )
    op.create_index("bundles_kind", "bundles", ["kind", "number"])
    op.create_table(
        "decisions",
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("outcome", sa.String(), nullable=False),
        sa.Column("reason", sa.String()),
        sa.Column("certain", sa.Boolean(), nullable=False),
        sa.Column("policy", sa.String()),
        sa.Column("rule", sa.String()),
        sa.Column("shadow", sa.String(), nullable=False),
        sa.Column("document", sa.Text(), nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("number"),
        sa.UniqueConstraint("digest"),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "days",
        sa.Column("day", sa.Integer(), nullable=False),
        sa.Column("outcome", sa.String(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("day", "outcome"),
    )


def _move(connection: sa.Connection, row: sa.Row[Any], numbers: dict[bytes, int]) -> None:
    facts = json.loads(row.facts)
    own, shared = split(facts)
    ages = [facts["values"].get(name, (None, None))[1] for name in _AGES]
    said = {"outcome": row.recorded_outcome, "reason": row.recorded_reason}
    recorded = _encoded({name: value for name, value in said.items() if value})
    decision = without_reference(json.loads(row.decision), row.reference)
    decision.pop("revision", None)
    document = _encoded(decision)
    columns = {**{name: getattr(row, name) for name in _DECISION}, "shadow": row.shadow_together}
    bundled = [_number(connection, numbers, kind, doc) for kind, doc in zip(GROUPS, shared, strict=True)]
    values = (
        row.at, row.seq, row.person, row.app, row.device, *bundled, _number(connection, numbers, "recorded", recorded),
        *(age if isinstance(age, int | float) else None for age in ages), row.let_in, row.outcome, row.policy,
        row.cause, _number(connection, numbers, "decision", document, columns), row.revision,
    )  # fmt: skip
    connection.exec_driver_sql(f"INSERT INTO signins VALUES ({', '.join('?' * len(values))})", values)
    mine = (row.seq, row.at, row.id, number_for(row.id), bytes.fromhex(row.digest), _encoded(own).decode())
    connection.exec_driver_sql("INSERT INTO records VALUES (?, ?, ?, ?, ?, ?)", mine)


def _encoded(document: object) -> bytes:
    return json.dumps(document, ensure_ascii=False, separators=(",", ":")).encode()


def _number(
    connection: sa.Connection, numbers: dict[bytes, int], kind: str, document: bytes, columns: dict[str, Any] | None = None
) -> int:
    digest = hashlib.blake2b(document, digest_size=16, person=kind.encode()).digest()
    if digest not in numbers:
        named = {**(columns or {"kind": kind}), "document": document.decode(), "digest": digest}
        table = "bundles" if columns is None else "decisions"
        made = connection.exec_driver_sql(
            f"INSERT INTO {table} ({', '.join(named)}) VALUES ({', '.join('?' * len(named))})", tuple(named.values())
        )
        numbers[digest] = made.lastrowid
    return numbers[digest]
