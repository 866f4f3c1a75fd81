"""Accounts, console sessions, one-time ways in and API tokens; secrets are stored hashed, never in clear."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Row, delete, func, select, update
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.book_tables import accounts, entry_codes, passkeys, sessions, tokens
from caddrel.store.engine import Database, Kept
from caddrel.store.moments import from_stored, to_stored

# A device reports its own state, a door asks for decisions, a receiver is told events, a directory says who there is;
# none may do anything else.
DEVICE, DOOR, RECEIVER, DIRECTORY = "device", "door", "receiver", "directory"
PROGRAMS = (DEVICE, DOOR, RECEIVER, DIRECTORY)
PEOPLE = ("viewer", "author", "publisher", "operator")
ROLES = (*PROGRAMS, *PEOPLE)


@dataclass(frozen=True, slots=True)
class Account:
    """Somebody who may sign in to the console."""

    name: str
    role: str
    password_hash: str | None
    totp: str | None = None


@dataclass(frozen=True, slots=True)
class Passkey:
    """A passkey of an account; only its public key is known."""

    id: str
    account: str
    public_key: bytes
    sign_count: int
    title: str
    created: datetime
    used: datetime | None = None


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
    used_at: datetime | None = None
    used_from: str = ""


@dataclass(frozen=True, slots=True)
class Session:
    """A console session.

    Attributes
    ----------
    seen, proved
        When it was used last, and when its account was last proved.
    half
        Whether a second factor is still to be proved.
    """

    account: str
    role: str
    csrf: str
    expires_at: datetime
    created: datetime
    seen: datetime
    proved: datetime
    address: str
    half: bool
    digest: str


# Of one account; a session that is used is noted so often.
MOST_SESSIONS = 50
SEEN_EVERY = timedelta(minutes=1)
_SESSIONS = select(sessions, accounts.c.role).join(accounts, accounts.c.name == sessions.c.account)


def _session(row: Row[Any]) -> Session:
    return Session(
        row.account, row.role, row.csrf, from_stored(row.expires_at), from_stored(row.created_at),
        from_stored(row.seen_at), from_stored(row.proved_at), row.address, row.half, row.digest,
    )  # fmt: skip


class AccountStore:
    """Reads and writes accounts, sessions, entry codes and tokens."""

    def __init__(self, database: Database) -> None:
        self._database = database
        # Asked at every request.
        self._by_id = Kept(database, lambda: {token.id: token for token in self._tokens()}, "tokens")

    def count(self) -> int:
        """Return how many accounts there are."""
        with self._database.read() as connection:
            return connection.execute(select(func.count()).select_from(accounts)).scalar_one()

    def put_account(self, name: str, role: str, password_hash: str | None, at: datetime, but: str = "") -> None:
        """Add an account, or change its role and password; its sessions end when that changes anything.

        Parameters
        ----------
        password_hash
            None leaves the password that there is.
        but
            The digest of a session that goes on: of whoever changed it.
        """
        values = {"role": role} | ({"password_hash": password_hash} if password_hash is not None else {})
        with self._database.write() as connection:
            before = connection.execute(select(accounts.c.role).where(accounts.c.name == name)).scalar()
            connection.execute(
                insert(accounts)
                .values(name=name, created_at=to_stored(at), **values)
                .on_conflict_do_update(index_elements=["name"], set_=values)
            )
            if before is not None and (before != role or password_hash is not None):
                connection.execute(delete(sessions).where(sessions.c.account == name, sessions.c.digest != but))

    def remove_account(self, name: str) -> bool:
        """Take an account out with everything that lets it in; tell whether it was there."""
        with self._database.write() as connection:
            for table in (sessions, entry_codes, passkeys):
                connection.execute(delete(table).where(table.c.account == name))
            return bool(connection.execute(delete(accounts).where(accounts.c.name == name)).rowcount)

    def set_totp(self, name: str, locked: str | None) -> bool:
        """Keep the locked secret of an account's authenticator app, or with None none; tell whether that changed it."""
        mine = accounts.c.name == name
        changes = mine if locked is not None else mine & accounts.c.totp.is_not(None)
        with self._database.write() as connection:
            done = connection.execute(update(accounts).where(changes).values(totp=locked, totp_used=0))
        return bool(done.rowcount)

    def use_totp(self, name: str, step: int) -> bool:
        """Use up the code of a step of time; of several who try at once one is told that it did."""
        fresh = (accounts.c.name == name) & (accounts.c.totp_used < step)
        with self._database.write() as connection:
            return bool(connection.execute(update(accounts).where(fresh).values(totp_used=step)).rowcount)

    def passkeys(self, account: str) -> list[Passkey]:
        """Return an account's passkeys, the oldest first."""
        wanted = select(passkeys).where(passkeys.c.account == account).order_by(passkeys.c.created_at)
        with self._database.read() as connection:
            return [
                Passkey(
                    row.id, row.account, row.public_key, row.sign_count, row.title, from_stored(row.created_at),
                    None if row.used_at is None else from_stored(row.used_at),
                )
                for row in connection.execute(wanted)
            ]  # fmt: skip

    def add_passkey(self, key: Passkey) -> bool:
        """Keep a passkey; tell whether it was not there yet."""
        row = {
            "id": key.id, "account": key.account, "public_key": key.public_key, "sign_count": key.sign_count,
            "title": key.title, "created_at": to_stored(key.created),
        }  # fmt: skip
        with self._database.write() as connection:
            return bool(connection.execute(insert(passkeys).values(row).on_conflict_do_nothing()).rowcount)

    def used_passkey(self, id: str, sign_count: int, at: datetime) -> None:
        """Note that a passkey was used."""
        values = {"sign_count": sign_count, "used_at": to_stored(at)}
        with self._database.write() as connection:
            connection.execute(update(passkeys).where(passkeys.c.id == id).values(values))

    def remove_passkey(self, account: str, id: str) -> bool:
        """Take a passkey out; tell whether it was there."""
        mine = (passkeys.c.account == account) & (passkeys.c.id == id)
        with self._database.write() as connection:
            return bool(connection.execute(delete(passkeys).where(mine)).rowcount)

    def account(self, name: str) -> Account | None:
        """Return an account by name."""
        with self._database.read() as connection:
            row = connection.execute(select(accounts).where(accounts.c.name == name)).first()
        return Account(row.name, row.role, row.password_hash, row.totp) if row else None

    def all_accounts(self) -> list[Account]:
        """Return every account, by name."""
        with self._database.read() as connection:
            rows = connection.execute(select(accounts).order_by(accounts.c.name)).all()
        return [Account(row.name, row.role, row.password_hash, row.totp) for row in rows]

    def add_session(
        self, digest: str, account: str, csrf: str, at: datetime, until: datetime, address: str, half: bool
    ) -> None:
        """Add a session; those that have ended are cleared away, and of one account the oldest of too many."""
        now = to_stored(at)
        with self._database.write() as connection:
            connection.execute(delete(sessions).where(sessions.c.expires_at <= now))
            mine = select(sessions.c.digest).where(sessions.c.account == account).order_by(sessions.c.created_at.desc())
            old = connection.execute(mine.offset(MOST_SESSIONS - 1)).scalars().all()
            connection.execute(delete(sessions).where(sessions.c.digest.in_(old)))
            values = {"digest": digest, "account": account, "csrf": csrf, "created_at": now, "seen_at": now}
            values |= {"expires_at": to_stored(until), "proved_at": 0 if half else now, "address": address}
            connection.execute(insert(sessions).values(half=half, **values))

    def session(self, digest: str, at: datetime, idle: timedelta) -> Session | None:
        """Return a session that has not ended, with the role its account has now; that it was used is noted.

        Parameters
        ----------
        idle
            One that was not used for longer has ended.
        """
        now = to_stored(at)
        with self._database.read() as connection:
            row = connection.execute(_SESSIONS.where(sessions.c.digest == digest, sessions.c.expires_at > now)).first()
        if row is None or at - from_stored(row.seen_at) > idle:
            return None
        if at - from_stored(row.seen_at) > SEEN_EVERY:
            with self._database.write() as connection:
                connection.execute(update(sessions).where(sessions.c.digest == digest).values(seen_at=now))
        return _session(row)

    def sessions(self, at: datetime) -> list[Session]:
        """Return every session that has not ended, the newest first."""
        wanted = _SESSIONS.where(sessions.c.expires_at > to_stored(at)).order_by(sessions.c.created_at.desc())
        with self._database.read() as connection:
            return [_session(row) for row in connection.execute(wanted)]

    def prove_session(self, digest: str, at: datetime) -> None:
        """Note that the account of a session has been proved by all factors that it has."""
        with self._database.write() as connection:
            proved = update(sessions).where(sessions.c.digest == digest)
            connection.execute(proved.values(half=False, proved_at=to_stored(at)))

    def end_sessions(self, account: str, but: str = "") -> int:
        """End an account's sessions; return how many."""
        with self._database.write() as connection:
            mine = (sessions.c.account == account) & (sessions.c.digest != but)
            return int(connection.execute(delete(sessions).where(mine)).rowcount)

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
                from_stored(row.used_at) if row.used_at is not None else None,
                row.used_from,
            )
            for row in rows
        ]

    def used_tokens(self, used: Mapping[str, tuple[datetime, str]]) -> None:
        """Note when tokens were used last, and from where."""
        with self._database.write() as connection:
            for id, (at, address) in used.items():
                values = {"used_at": to_stored(at), "used_from": address[:100]}
                connection.execute(update(tokens).where(tokens.c.id == id).values(values))

    def revoke_token(self, id: str, at: datetime) -> bool:
        """Revoke a token; tell whether it was there and in use."""
        with self._database.write() as connection:
            changed = connection.execute(
                update(tokens).where(tokens.c.id == id, tokens.c.revoked_at.is_(None)).values(revoked_at=to_stored(at))
            )
        return bool(changed.rowcount)
