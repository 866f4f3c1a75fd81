"""Sessions, accounts and tokens as they travel."""

from __future__ import annotations

import msgspec


class SessionInfo(msgspec.Struct, frozen=True):
    """Who is asking; `csrf` goes into the header of every change made with a console session."""

    account: str
    role: str
    csrf: str
    expires_at: str | None


class SignInRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A name and a password, or a one-time code."""

    name: str = ""
    password: str = ""
    code: str = ""


class AccountInfo(msgspec.Struct, frozen=True):
    """Somebody who may sign in to the console."""

    name: str
    role: str
    has_password: bool


class AccountList(msgspec.Struct, frozen=True):
    """Every account."""

    items: list[AccountInfo]


class AccountRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """An account to add or change; without a password it can be entered by one-time code only."""

    name: str
    role: str
    password: str = ""


class TokenInfo(msgspec.Struct, frozen=True):
    """A token without its secret."""

    id: str
    name: str
    role: str
    created_at: str
    created_by: str
    expires_at: str | None
    revoked: bool
    reports: list[str] = []
    sees: bool = False
    only: list[str] = []


class TokenList(msgspec.Struct, frozen=True):
    """Every token."""

    items: list[TokenInfo]


class TokenRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A token to make; `days` until it expires.

    Attributes
    ----------
    reports
        Of a door: the facts that it may report, such as ``network``; those that only a door can see when empty.
    sees
        Of a door: whether decisions come with what is for administrators.
    only
        What it is for, such as ``signins``; all that its role may when empty.
    """

    name: str
    role: str
    days: int = 90
    reports: list[str] = []
    sees: bool = False
    only: list[str] = []


class TokenMade(msgspec.Struct, frozen=True):
    """A new token; the secret is shown this once."""

    info: TokenInfo
    token: str


class Health(msgspec.Struct, frozen=True):
    """The service is there."""

    status: str
    version: str
    revision: int | None
