"""The tables of the book, as they are after all its migrations; moments are whole microseconds since 1970 in UTC."""

from __future__ import annotations

from sqlalchemy import (
    Boolean,
    Column,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    String,
    Table,
    Text,
    text,
)

BOOK = MetaData()

revisions = Table(
    "revisions",
    BOOK,
    Column("number", Integer, primary_key=True),
    Column("published_at", Integer, nullable=False),
    Column("published_by", String, nullable=False),
    Column("why", Text, nullable=False),
    Column("files", Text, nullable=False),
    Column("digest", String, nullable=False),
    # Why it was published though somebody who must get in could be locked out.
    Column("override", Text, nullable=False, server_default=""),
    # What decisions under it mean, as in `decide.decision.MEANING` when it was published.
    Column("meaning", Integer, nullable=False, server_default="1"),
)
inventory = Table(
    "inventory",
    BOOK,
    Column("noun", String, primary_key=True),
    Column("id", String, primary_key=True),
    Column("title", String, nullable=False),
    Column("document", Text, nullable=False),
    Column("changed_at", Integer, nullable=False),
    # The number of the change of the inventory that it came with, or went.
    Column("version", Integer, nullable=False, server_default="0"),
    # When it was taken out; what is left then is its id, so that whoever asks what has changed is told that it is gone.
    Column("removed_at", Integer),
    Index("inventory_version", "version"),
    # By what a directory may call them; `store.inventory` asks in the same words.
    Index("inventory_id", "noun", text("lower(id)")),
    Index("inventory_title", "noun", text("lower(title)")),
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
    # Sealed with the folder's key; and the time step of the code that was used last.
    Column("totp", Text),
    Column("totp_used", Integer, nullable=False, server_default="0"),
)
# Of accounts: public keys alone are kept (WebAuthn, section 6.5).
passkeys = Table(
    "passkeys",
    BOOK,
    Column("id", String, primary_key=True),
    Column("account", String, ForeignKey("accounts.name"), nullable=False),
    Column("public_key", LargeBinary, nullable=False),
    Column("sign_count", Integer, nullable=False),
    Column("title", String, nullable=False),
    Column("created_at", Integer, nullable=False),
    Column("used_at", Integer),
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
    # Of a door: which facts it may report, as JSON, and whether it is told what is for administrators.
    Column("reports", Text),
    Column("only", Text, nullable=False, server_default="[]"),
    Column("sees", Boolean(create_constraint=False), nullable=False, server_default="0"),
    Column("expires_at", Integer),
    Column("revoked_at", Integer),
    Column("used_at", Integer),
    Column("used_from", String, nullable=False, server_default=""),
)
sessions = Table(
    "sessions",
    BOOK,
    Column("digest", String, primary_key=True),
    Column("account", String, ForeignKey("accounts.name"), nullable=False),
    Column("csrf", String, nullable=False),
    Column("created_at", Integer, nullable=False),
    Column("expires_at", Integer, nullable=False),
    Column("seen_at", Integer, nullable=False, server_default="0"),
    # When its account was last proved, by all factors that it has.
    Column("proved_at", Integer, nullable=False, server_default="0"),
    Column("address", String, nullable=False, server_default=""),
    # Whether a second factor is still to be proved: such a session may do nothing else.
    Column("half", Boolean(create_constraint=False), nullable=False, server_default="0"),
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

# Append-only: triggers refuse to change or delete a row, and each row's hash holds the one before.
audit = Table(
    "audit",
    BOOK,
    Column("seq", Integer, primary_key=True),
    Column("at", Integer, nullable=False),
    Column("who", String, nullable=False),
    Column("did", String, nullable=False),
    Column("target", String, nullable=False),
    Column("outcome", String, nullable=False),
    Column("note", Text, nullable=False),
    Column("request_id", String, nullable=False),
    Column("hash", String, nullable=False),
    Column("address", String, nullable=False, server_default=""),
)

# What is being written: documents on top of a revision. `version` grows with every save.
drafts = Table(
    "drafts",
    BOOK,
    Column("name", String, primary_key=True),
    Column("base", Integer, nullable=False),
    Column("files", Text, nullable=False),
    Column("version", Integer, nullable=False),
    Column("begun", Integer, nullable=False),
    Column("begun_by", String, nullable=False),
    Column("saved", Integer, nullable=False),
    Column("saved_by", String, nullable=False),
    Column("discarded", Integer),
    Column("shadowed", Integer),
    Column("planned", Integer),
    Column("planned_by", String, nullable=False, server_default=""),
    Column("planned_why", String, nullable=False, server_default=""),
    Column("planned_risk", String, nullable=False, server_default=""),
    Column("planned_failed", String, nullable=False, server_default=""),
    # What is in shadow, and the version that a plan speaks of: not what has been saved since.
    Column("shadow_version", Integer),
    Column("shadow_files", Text),
    Column("planned_version", Integer),
    # The token by whose word it is planned; empty for an account.
    Column("planned_token", String, nullable=False, server_default=""),
    Column("planned_rehearsals", String, nullable=False, server_default=""),
)
# Since when wrong passwords of a person count again: an administrator has lifted a lock-out.
unlocks = Table(
    "unlocks",
    BOOK,
    Column("person", String, primary_key=True),
    Column("at", Integer, nullable=False),
    Column("by", String, nullable=False),
)

# What was set aside on the watch page: what it was then, and why.
set_aside = Table(
    "set_aside",
    BOOK,
    Column("key", String, primary_key=True),
    Column("mark", String, nullable=False),
    Column("why", String, nullable=False),
    Column("by", String, nullable=False),
    Column("at", Integer, nullable=False),
)

# When a policy was looked at by a reviewer, and is to be again.
reviews = Table(
    "reviews",
    BOOK,
    Column("seq", Integer, primary_key=True, autoincrement=True),
    Column("policy", String, nullable=False),
    Column("digest", String, nullable=False),
    Column("by", String, nullable=False),
    Column("at", Integer, nullable=False),
    Column("again", Integer),
    Column("note", String, nullable=False),
    Index("reviews_policy", "policy", "seq"),
)

# What was last proven of the rulebook in force: guarantees and safeguards.
proven = Table(
    "proven",
    BOOK,
    Column("kind", String, primary_key=True),
    Column("name", String, primary_key=True),
    Column("definition", String, nullable=False),
    Column("answer", String, nullable=False),
    Column("since", Integer, nullable=False),
    Column("before", String, nullable=False),
)

# Streams of events to receivers; `locked` is what only the folder's key opens.
event_streams = Table(
    "event_streams",
    BOOK,
    Column("id", String, primary_key=True),
    Column("receiver", String, nullable=False),
    Column("document", Text, nullable=False),
    Column("locked", Text, nullable=False, server_default=""),
    Column("status", String, nullable=False),
    Column("reason", Text, nullable=False, server_default=""),
    Column("created", Integer, nullable=False),
)

signing_keys = Table(
    "signing_keys",
    BOOK,
    Column("kid", String, primary_key=True),
    Column("locked", Text, nullable=False),
    Column("created", Integer, nullable=False),
    Column("retired", Integer),
)

# Whom events are taken from, and which were taken already.
feeds = Table(
    "feeds",
    BOOK,
    Column("name", String, primary_key=True),
    Column("issuer", String, nullable=False, unique=True),
    Column("document", Text, nullable=False),
    Column("paused", Integer, nullable=False, server_default="0"),
    Column("added", Integer, nullable=False),
    Column("added_by", String, nullable=False),
    Column("last", Integer),
    Column("events", Integer, nullable=False, server_default="0"),
    Column("error", Text, nullable=False, server_default=""),
)

heard = Table(
    "heard",
    BOOK,
    Column("issuer", String, primary_key=True),
    Column("jti", String, primary_key=True),
    Column("at", Integer, nullable=False),
    Index("heard_at", "at"),
    sqlite_with_rowid=False,
)

# Risks that feeds have told, until when; what is so by them, and what was so before; and whom they have put off.
told_risks = Table(
    "told_risks",
    BOOK,
    Column("person", String, primary_key=True),
    Column("feed", String, primary_key=True),
    Column("level", String, nullable=False),
    Column("until", Integer, nullable=False),
    Index("told_risks_until", "until"),
    sqlite_with_rowid=False,
)

risks_before = Table(
    "risks_before",
    BOOK,
    Column("person", String, primary_key=True),
    Column("level", String, nullable=False),
    Column("before", String),
)

put_off = Table(
    "put_off",
    BOOK,
    Column("person", String, primary_key=True),
    Column("feed", String, primary_key=True),
    Column("off", String, nullable=False),
    sqlite_with_rowid=False,
)

# Where address lists and devices are fetched from, how that went, and what was fetched, is held back and accepted.
sources = Table(
    "sources",
    BOOK,
    Column("name", String, primary_key=True),
    Column("noun", String, nullable=False),
    Column("source", String, nullable=False),
    Column("every", Integer, nullable=False),
    Column("paused", Integer, nullable=False, server_default="0"),
    Column("added", Integer, nullable=False),
    Column("added_by", String, nullable=False),
    Column("tag", String, nullable=False, server_default=""),
    Column("last", Integer),
    Column("error", Text, nullable=False, server_default=""),
    Column("held", String, nullable=False, server_default=""),
    Column("accepted", String, nullable=False, server_default=""),
)

# Devices that came to a door, are on no list, and are to stay off it.
refused_devices = Table(
    "refused_devices",
    BOOK,
    Column("device", String, primary_key=True),
    Column("at", Integer, nullable=False),
    Column("by", String, nullable=False),
    Column("why", Text, nullable=False, server_default=""),
)

# Which people and groups a directory keeps, with what it says of them that the inventory has no place for.
kept_by = Table(
    "kept_by",
    BOOK,
    Column("noun", String, primary_key=True),
    Column("id", String, primary_key=True),
    Column("keeper", String, nullable=False),
    Column("document", Text, nullable=False, server_default=""),
    Column("created", Integer, nullable=False),
    Column("changed", Integer, nullable=False),
    Index("kept_by_keeper", "keeper", "noun"),
    # What a filter finds an object by mostly; `store.kept_by` asks in the same words.
    Index("kept_by_user", "noun", text("lower(json_extract(document, '$.userName'))")),
    Index("kept_by_external", "noun", text("lower(json_extract(document, '$.externalId'))")),
    Index("kept_by_display", "noun", text("lower(json_extract(document, '$.displayName'))")),
    sqlite_with_rowid=False,
)

acceptances = Table(
    "acceptances",
    BOOK,
    Column("seq", Integer, primary_key=True, autoincrement=True),
    Column("person", String, nullable=False),
    Column("notice", String, nullable=False),
    Column("version", Integer, nullable=False),
    Column("accepted", Integer, nullable=False),
    Column("door", String, nullable=False),
    Column("signin", String, nullable=False),
    Index("acceptances_person", "person", "notice", "version", unique=True),
)

starter_codes = Table(
    "starter_codes",
    BOOK,
    Column("id", String, primary_key=True),
    Column("digest", String, nullable=False, unique=True),
    Column("person", String, nullable=False),
    Column("starts", Integer, nullable=False),
    Column("ends", Integer, nullable=False),
    Column("issued", Integer, nullable=False),
    Column("issued_by", String, nullable=False),
    Column("used", Integer),
    Column("used_for", String),
    Column("revoked", Integer),
)
