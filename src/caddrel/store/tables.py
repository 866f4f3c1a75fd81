"""The tables of both files, as they are after all migrations."""

from __future__ import annotations

from sqlalchemy import Boolean, Column, Float, ForeignKey, Index, Integer, MetaData, String, Table, Text

BOOK = MetaData()
LOG = MetaData()

# Moments are whole microseconds since 1970 in UTC.
revisions = Table(
    "revisions",
    BOOK,
    Column("number", Integer, primary_key=True),
    Column("published_at", Integer, nullable=False),
    Column("published_by", String, nullable=False),
    Column("why", Text, nullable=False),
    Column("files", Text, nullable=False),
    Column("digest", String, nullable=False),
)
inventory = Table(
    "inventory",
    BOOK,
    Column("noun", String, primary_key=True),
    Column("id", String, primary_key=True),
    Column("title", String, nullable=False),
    Column("document", Text, nullable=False),
    Column("changed_at", Integer, nullable=False),
)
counters = Table(
    "counters",
    BOOK,
    Column("name", String, primary_key=True),
    Column("value", Integer, nullable=False),
)
accounts = Table(
    "accounts",
    BOOK,
    Column("name", String, primary_key=True),
    Column("role", String, nullable=False),
    Column("password_hash", String),
    Column("created_at", Integer, nullable=False),
)
tokens = Table(
    "tokens",
    BOOK,
    Column("id", String, primary_key=True),
    Column("name", String, nullable=False),
    Column("role", String, nullable=False),
    Column("secret_hash", String, nullable=False),
    Column("created_at", Integer, nullable=False),
    Column("created_by", String, nullable=False),
    Column("expires_at", Integer),
    Column("revoked_at", Integer),
)
sessions = Table(
    "sessions",
    BOOK,
    Column("digest", String, primary_key=True),
    Column("account", String, ForeignKey("accounts.name"), nullable=False),
    Column("csrf", String, nullable=False),
    Column("created_at", Integer, nullable=False),
    Column("expires_at", Integer, nullable=False),
)
entry_codes = Table(
    "entry_codes",
    BOOK,
    Column("digest", String, primary_key=True),
    Column("account", String, ForeignKey("accounts.name"), nullable=False),
    Column("expires_at", Integer, nullable=False),
    Column("used_at", Integer),
)

mappings = Table(
    "mappings",
    BOOK,
    Column("name", String, primary_key=True),
    Column("columns", Text, nullable=False),
)
used_passwords = Table(
    "used_passwords",
    BOOK,
    Column("seq", Integer, primary_key=True, autoincrement=True),
    Column("person", String, nullable=False),
    Column("salt", String, nullable=False),
    Column("digest", String, nullable=False),
    Column("set_at", Integer, nullable=False),
    Index("used_passwords_person", "person", "seq"),
)

signins = Table(
    "signins",
    LOG,
    Column("seq", Integer, primary_key=True, autoincrement=True),
    Column("id", String, nullable=False, unique=True),
    Column("reference", String, nullable=False),
    Column("digest", String, nullable=False),
    Column("at", Integer, nullable=False),
    Column("person", String),
    Column("app", String),
    Column("device", String),
    Column("operation", String),
    Column("flow", String),
    Column("address", String),
    Column("country", String),
    Column("anonymiser", String),
    Column("owner", String),
    Column("platform", String),
    Column("client", String),
    Column("credentials", String),
    # What signals look back at, beside device, country and credentials.
    Column("city", String),
    Column("asn", Integer),
    Column("client_name", String),
    Column("latitude", Float),
    Column("longitude", Float),
    Column("let_in", Boolean(create_constraint=False), nullable=False, server_default="0"),
    Column("cause", String),
    Column("recorded_outcome", String),
    Column("recorded_reason", String),
    Column("outcome", String, nullable=False),
    Column("reason", String),
    Column("certain", Boolean(create_constraint=False), nullable=False),
    Column("policy", String),
    Column("rule", String),
    Column("shadow_together", String, nullable=False),
    Column("revision", Integer, nullable=False),
    Column("facts", Text, nullable=False),
    Column("decision", Text, nullable=False),
    Index("signins_at", "at", "seq"),
    *(
        Index(f"signins_{name}", name, "at", "seq")
        for name in ("reference", "person", "app", "device", "outcome", "policy", "country", "cause")
    ),
)
# What led to blocks and challenges, once for all records that have it in common.
causes = Table(
    "causes",
    LOG,
    Column("key", String, primary_key=True),
    Column("document", Text, nullable=False),
)
# People whose signals are to be worked out again, from a moment on: a record came in late.
due = Table(
    "due",
    LOG,
    Column("person", String, primary_key=True),
    Column("since", Integer, nullable=False),
)
