"""The tables of the log, as they are after all its migrations; moments are whole microseconds since 1970 in UTC."""

from __future__ import annotations

from sqlalchemy import (
    Boolean,
    Column,
    Computed,
    Float,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    String,
    Table,
    Text,
    text,
)

LOG = MetaData()

# What is each sign-in's own: its id, what a person quotes, and the facts that hardly any two have in common.
records = Table(
    "records",
    LOG,
    Column("seq", Integer, primary_key=True),
    Column("at", Integer, nullable=False),
    Column("id", String, nullable=False, unique=True),
    Column("reference", Integer, nullable=False),
    Column("digest", LargeBinary, nullable=False),
    Column("own", Text, nullable=False),
    # Its seal.
    Column("mac", LargeBinary),
    Column("block", Integer, Computed("seq >> 16", persisted=False)),
    # References are spread evenly; block by block, only a small part of the index is written at a time.
    Index("records_reference", "block", "reference"),
)
# One narrow row a sign-in, in order of time, so that reading a stretch of it reads nothing else: every filter becomes a
# walk over these.
signins = Table(
    "signins",
    LOG,
    Column("at", Integer, primary_key=True),
    Column("seq", Integer, primary_key=True),
    Column("person", String),
    Column("app", String),
    Column("device", String),
    # The bundles of facts, by number.
    Column("person_facts", Integer, nullable=False),
    Column("app_facts", Integer, nullable=False),
    Column("device_facts", Integer, nullable=False),
    Column("network_facts", Integer, nullable=False),
    Column("attempt_facts", Integer, nullable=False),
    Column("signals_facts", Integer, nullable=False),
    Column("recorded", Integer, nullable=False),
    # Seconds; facts that are each record's own.
    Column("state_age", Float),
    Column("listed_for", Float),
    Column("auth_age", Float),
    Column("let_in", Integer, nullable=False),
    Column("outcome", String, nullable=False),
    Column("policy", String),
    Column("cause", String),
    Column("decision", Integer, nullable=False),
    Column("revision", Integer, nullable=False),
    Column("stretch", Integer, Computed("at >> 37", persisted=False)),
    # There are many people and devices, so the newest records belong to places all over such an index: stretch of time
    # by stretch of time, they are near one another, and storing takes as long however large the log is.
    Index("signins_person", "stretch", "person", "at", "seq"),
    Index("signins_device", "stretch", "device", "at", "seq"),
    Index("signins_app", "app", "at", "seq"),
    # Most sign-ins are let in without any rule's doing, and have neither.
    Index("signins_policy", "policy", "at", "seq", sqlite_where=text("policy IS NOT NULL")),
    Index("signins_cause", "cause", "at", "seq", sqlite_where=text("cause IS NOT NULL")),
    sqlite_with_rowid=False,
)
# The stretches of time that there may be sign-ins in. None is taken out: an empty one costs one look.
stretches = Table(
    "stretches",
    LOG,
    Column("number", Integer, primary_key=True),
    # Another one after each change of any record in it.
    Column("mark", Integer, nullable=False, server_default="0"),
)
# Facts that records have in common, and what other systems recorded: each once.
bundles = Table(
    "bundles",
    LOG,
    Column("number", Integer, primary_key=True),
    Column("kind", String, nullable=False),
    Column("document", Text, nullable=False),
    Column("digest", LargeBinary, nullable=False, unique=True),
    Column("mac", LargeBinary),
    Index("bundles_kind", "kind", "number"),
    # A number that was taken out is not used again: somebody may still remember what it stood for.
    sqlite_autoincrement=True,
)
# Decisions, each once, with a mark where a record's own reference stands.
decisions = Table(
    "decisions",
    LOG,
    Column("number", Integer, primary_key=True),
    Column("outcome", String, nullable=False),
    Column("reason", String),
    Column("certain", Boolean(create_constraint=False), nullable=False),
    Column("policy", String),
    Column("rule", String),
    Column("shadow", String, nullable=False),
    Column("document", Text, nullable=False),
    Column("digest", LargeBinary, nullable=False, unique=True),
    Column("mac", LargeBinary),
    sqlite_autoincrement=True,
)
# How many sign-ins of each day had which outcome.
days = Table(
    "days",
    LOG,
    Column("day", Integer, primary_key=True),
    Column("outcome", String, primary_key=True),
    Column("count", Integer, nullable=False),
)
# Of a record's row, what its seal covers: what it names and what it came out as.
COLUMNS_SEALED = (
    "at", "person", "app", "device", "person_facts", "app_facts", "device_facts", "network_facts", "attempt_facts",
    "signals_facts", "recorded", "outcome", "policy", "decision", "revision", "state_age", "listed_for", "auth_age",
    "let_in",
)  # fmt: skip
# One row: how often the log was changed, how many records are sealed, and the sum of their seals.
log_seal = Table(
    "log_seal",
    LOG,
    Column("changes", Integer, primary_key=True),
    Column("sealed", Integer, nullable=False),
    Column("total", LargeBinary, nullable=False),
    Column("seal", String, nullable=False),
)
# Who is in: sessions of doors, under the limits that they were let in with.
door_sessions = Table(
    "door_sessions",
    LOG,
    Column("id", String, primary_key=True),
    Column("door", String, nullable=False),
    Column("person", String, nullable=False),
    Column("app", String, nullable=False),
    Column("device", String),
    Column("started", Integer, nullable=False),
    Column("seen", Integer, nullable=False),
    # Method to the moment it was used, as JSON.
    Column("methods", Text, nullable=False),
    Column("keep", Text, nullable=False),
    Column("signin", String, nullable=False),
    Column("ended", Integer),
    Column("ended_by", String),
    # What its door reported, as JSON: what it is decided by again.
    Column("facts", Text, nullable=False, server_default=""),
    # What is asked for at its next request, and why it is so, or why it was ended.
    Column("asks", Text, nullable=False, server_default=""),
    Column("because", Text, nullable=False, server_default=""),
    Column("look_again", Integer),
    # The held change that would end it.
    Column("held", Integer),
    Index("door_sessions_open", "seen", "id", sqlite_where=text("ended IS NULL")),
    Index("door_sessions_person", "person", sqlite_where=text("ended IS NULL")),
    Index("door_sessions_device", "device", sqlite_where=text("ended IS NULL")),
    Index("door_sessions_app", "app", sqlite_where=text("ended IS NULL")),
    Index("door_sessions_look_again", "look_again", sqlite_where=text("ended IS NULL")),
)

# Changes that would end more sessions than may end unasked.
held_changes = Table(
    "held_changes",
    LOG,
    Column("number", Integer, primary_key=True),
    Column("at", Integer, nullable=False),
    Column("because", Text, nullable=False),
    Column("why", Text, nullable=False),
    Column("decided", Integer),
    Column("decided_by", String, nullable=False, server_default=""),
    Column("verdict", String, nullable=False, server_default=""),
    sqlite_autoincrement=True,
)

# What others are to be told, in the order in which it happened; of one stream alone where it is named.
outbox = Table(
    "outbox",
    LOG,
    Column("seq", Integer, primary_key=True),
    Column("jti", String, nullable=False, unique=True),
    Column("at", Integer, nullable=False),
    Column("kind", String, nullable=False),
    Column("person", String, nullable=False, server_default=""),
    Column("session", String, nullable=False, server_default=""),
    Column("device", String, nullable=False, server_default=""),
    Column("said", Text, nullable=False, server_default=""),
    Column("stream", String, nullable=False, server_default=""),
    sqlite_autoincrement=True,
)

# What of it a stream that is polled has said it has, beyond the first that it has not.
acknowledged = Table(
    "acknowledged",
    LOG,
    Column("stream", String, primary_key=True),
    Column("seq", Integer, primary_key=True),
    sqlite_with_rowid=False,
)

# What others were told of a subject last.
last_told = Table(
    "last_told",
    LOG,
    Column("noun", String, primary_key=True),
    Column("id", String, primary_key=True),
    Column("state", Text, nullable=False),
    sqlite_with_rowid=False,
)

# How far something has gone that goes on after a restart.
marks = Table("marks", LOG, Column("name", String, primary_key=True), Column("value", Integer, nullable=False))
# What drafts in shadow would have made of live decisions, worked out after they were answered.
draft_outcomes = Table(
    "draft_outcomes",
    LOG,
    Column("draft", String, primary_key=True),
    Column("at", Integer, primary_key=True),
    Column("signin", String, primary_key=True),
    Column("outcome", String, nullable=False),
    Index("draft_outcomes_signin", "signin"),
    sqlite_with_rowid=False,
)
# What led to blocks and challenges, once for all records that have it in common.
causes = Table(
    "causes",
    LOG,
    Column("key", String, primary_key=True),
    Column("document", Text, nullable=False),
)
# What was taken into the log at a time.
imports = Table(
    "imports",
    LOG,
    Column("number", Integer, primary_key=True),
    Column("name", String, nullable=False),
    Column("format", String, nullable=False),
    Column("mapping", String, nullable=False),
    Column("by", String, nullable=False),
    Column("began", Integer, nullable=False),
    Column("ended", Integer),
    Column("added", Integer, nullable=False, server_default="0"),
    Column("already_there", Integer, nullable=False, server_default="0"),
    Column("conflicting", Integer, nullable=False, server_default="0"),
    Column("broken", Integer, nullable=False, server_default="0"),
    Column("first", Integer),
    Column("last", Integer),
    Column("taken_back", Integer),
    Column("taken_back_by", String),
    sqlite_autoincrement=True,
)
# The numbers of the records that came with each.
import_ranges = Table(
    "import_ranges",
    LOG,
    Column("import", Integer, primary_key=True),
    Column("first", Integer, primary_key=True),
    Column("last", Integer, nullable=False),
    # A number that came with an import is not used again, though its record is gone: the next one is looked up here.
    Index("import_ranges_last", "last"),
    sqlite_with_rowid=False,
)
# People whose signals are to be worked out again, from a moment on: a record came in late.
due = Table(
    "due",
    LOG,
    Column("person", String, primary_key=True),
    Column("since", Integer, nullable=False),
)
