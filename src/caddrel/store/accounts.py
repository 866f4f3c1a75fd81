"""Accounts, console sessions, one-time ways in and API tokens; secrets are stored hashed, never in clear."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.engine import Database, Kept
from caddrel.store.moments import from_stored, to_stored
from caddrel.store.tables import accounts, entry_codes, sessions, tokens

# A device reports its own state, a door asks for decisions; neither may do anything else.
DEVICE, DOOR = "device", "door"
PEOPLE = ("viewer", "author", "publisher", "operator")
ROLES = (DEVICE, DOOR, *PEOPLE)


@dataclass(frozen=True, slots=True)
class Account:
    """Somebody who may sign in to the console."""

    name: str
    role: str
    password_hash: str | None


@dataclass(frozen=True, slots=True)
class Token:
    """A token of a program; the secret is known by its hash only.

    `only` are the areas that it is for, all that its role may when empty.
    """

    id: str
    name: str
    role: str
    secret_hash: str
    created_at: datetime
    created_by: str
    expires_at: datetime | None
    revoked_at: datetime | None
    reports: tuple[str, ...] = ()
    sees: bool = False
    only: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Session:
    """A console session."""

    account: str
    role: str
    csrf: str
    expires_at: datetime


class AccountStore:
    """Reads and writes accounts, sessions, entry codes and tokens."""

    def __init__(self, database: Database) -> None:
        self._database = database
        # Asked at every request.
        self._by_id = Kept(database, lambda: {token.id: token for token in self._tokens()})

    def count(self) -> int:
        """Return how many accounts there are."""
        with self._database.read() as connection:
            return connection.execute(select(func.count()).select_from(accounts)).scalar_one()

    def put_account(self, name: str, role: str, password_hash: str | None, at: datetime) -> None:
        """Add an account, or change its role and password."""
        values = {"role": role, "password_hash": password_hash}
        with self._database.write() as connection:
            connection.execute(
                insert(accounts)
                .values(name=name, created_at=to_stored(at), **values)
                .on_conflict_do_update(index_elements=["name"], set_=values)
            )

    def account(self, name: str) -> Account | None:
        """Return an account by name."""
        with self._database.read() as connection:
            row = connection.execute(select(accounts).where(accounts.c.name == name)).first()
        return Account(row.name, row.role, row.password_hash) if row else None

    def all_accounts(self) -> list[Account]:
        """Return every account, by name."""
        with self._database.read() as connection:
            rows = connection.execute(select(accounts).order_by(accounts.c.name)).all()
        return [Account(row.name, row.role, row.password_hash) for row in rows]

    def add_session(self, digest: str, account: str, csrf: str, at: datetime, until: datetime) -> None:
        """Add a session; those that have ended are cleared away."""
        with self._database.write() as connection:
            connection.execute(delete(sessions).where(sessions.c.expires_at <= to_stored(at)))
            connection.execute(
                insert(sessions).values(
                    digest=digest, account=account, csrf=csrf, created_at=to_stored(at), expires_at=to_stored(until)
                )
            )

    def session(self, digest: str, at: datetime) -> Session | None:
        """Return a session that has not ended, with the role its account has now."""
        query = (
            select(sessions, accounts.c.role)
            .join(accounts, accounts.c.name == sessions.c.account)
            .where(sessions.c.digest == digest, sessions.c.expires_at > to_stored(at))
        )
        with self._database.read() as connection:
            row = connection.execute(query).first()
        return Session(row.account, row.role, row.csrf, from_stored(row.expires_at)) if row else None

    def end_session(self, digest: str) -> None:
        """End a session."""
        with self._database.write() as connection:
            connection.execute(delete(sessions).where(sessions.c.digest == digest))

    def add_entry_code(self, digest: str, account: str, until: datetime) -> None:
        """Add a one-time way in."""
        with self._database.write() as connection:
            connection.execute(insert(entry_codes).values(digest=digest, account=account, expires_at=to_stored(until)))

    def use_entry_code(self, digest: str, at: datetime) -> str | None:
        """Use up a one-time way in; return its account, None when it is unknown, used or past its time."""
        fresh = (
            entry_codes.c.digest == digest,
            entry_codes.c.used_at.is_(None),
            entry_codes.c.expires_at > to_stored(at),
        )
        with self._database.write() as connection:
            used = connection.execute(update(entry_codes).where(*fresh).values(used_at=to_stored(at))).rowcount
            if not used:
                return None
            query = select(entry_codes.c.account).where(entry_codes.c.digest == digest)
            return str(connection.execute(query).scalar_one())

    def add_token(self, token: Token) -> None:
        """Add a token."""
        values = {
            "id": token.id,
            "name": token.name,
            "role": token.role,
            "secret_hash": token.secret_hash,
            "created_at": to_stored(token.created_at),
            "created_by": token.created_by,
            "expires_at": to_stored(token.expires_at) if token.expires_at else None,
            "reports": json.dumps(list(token.reports)),
            "only": json.dumps(list(token.only)),
            "sees": token.sees,
        }
        with self._database.write() as connection:
            connection.execute(insert(tokens).values(values))

    def token(self, id: str) -> Token | None:
        """Return a token by its id, revoked and expired ones too."""
        return self._by_id.get().get(id)

    def all_tokens(self) -> list[Token]:
        """Return every token, newest first."""
        return self._tokens()

    def _tokens(self) -> list[Token]:
        query = select(tokens).order_by(tokens.c.created_at.desc())
        with self._database.read() as connection:
            rows = connection.execute(query).all()
        return [
            Token(
                row.id,
                row.name,
                row.role,
                row.secret_hash,
                from_stored(row.created_at),
                row.created_by,
                from_stored(row.expires_at) if row.expires_at is not None else None,
                from_stored(row.revoked_at) if row.revoked_at is not None else None,
                tuple(json.loads(row.reports)) if row.reports else (),
                row.sees,
                tuple(json.loads(row.only)),
            )
            for row in rows
        ]

    def revoke_token(self, id: str, at: datetime) -> bool:
        """Revoke a token; tell whether it was there and in use."""
        with self._database.write() as connection:
            changed = connection.execute(
                update(tokens).where(tokens.c.id == id, tokens.c.revoked_at.is_(None)).values(revoked_at=to_stored(at))
            )
        return bool(changed.rowcount)
