"""Making and checking secrets: tokens, passwords, session cookies, one-time codes.

Passwords and token secrets are hashed with argon2. Session cookies and one-time codes are long random values with short
lives, kept by their SHA-256.
"""

from __future__ import annotations

import hashlib
import hmac
import random
import secrets
import threading

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

TOKEN_PREFIX = "cad"
_hasher = PasswordHasher(time_cost=2, memory_cost=19 * 1024, parallelism=1)


def new_secret() -> str:
    """Return 256 random bits as text."""
    return secrets.token_urlsafe(32)


# Ids are to be unique, not secret: asking the system for each would let other threads run in between.
_ids = random.Random(secrets.randbits(256))  # noqa: S311 - see above


def new_id(length: int) -> str:
    """Return hexadecimal digits that no other id has."""
    return f"{_ids.getrandbits(4 * length):0{length}x}"


def digest(secret: str) -> str:
    """Return the SHA-256 of a long random secret."""
    return hashlib.sha256(secret.encode()).hexdigest()


def new_token() -> tuple[str, str, str]:
    """Return id, secret and full text of a new token."""
    id, secret = secrets.token_hex(6), new_secret()
    return id, secret, f"{TOKEN_PREFIX}_{id}_{secret}"


def split_token(text: str) -> tuple[str, str] | None:
    """Return id and secret of a token's text, or None."""
    prefix, _, rest = text.partition("_")
    id, _, secret = rest.partition("_")
    return (id, secret) if prefix == TOKEN_PREFIX and id and secret else None


def hashed(secret: str) -> str:
    """Return the argon2 hash of a password or token secret."""
    return _hasher.hash(secret)


def verify(stored: str, secret: str) -> bool:
    """Tell whether a secret has this hash."""
    try:
        return _hasher.verify(stored, secret)
    except (VerificationError, InvalidHashError):
        return False


# Checked against when there is no such account, so that both cases take as long.
NOBODY = hashed(new_secret())


def same(left: str, right: str) -> bool:
    """Compare two secrets in constant time."""
    return hmac.compare_digest(left.encode(), right.encode())


class Verified:
    """Remembers which token texts were verified, by digest: argon2 is for thieves, not for every call."""

    def __init__(self, most: int = 1000) -> None:
        self._known: dict[str, str] = {}
        self._most = most
        self._lock = threading.Lock()

    def check(self, stored: str, secret: str) -> bool:
        """Tell whether a secret has this hash, from memory when it was asked before."""
        key = digest(secret)
        with self._lock:
            if self._known.get(key) == stored:
                return True
        if not verify(stored, secret):
            return False
        with self._lock:
            if len(self._known) >= self._most:
                self._known.clear()
            self._known[key] = stored
        return True
