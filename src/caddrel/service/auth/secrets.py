"""Making and checking secrets: tokens, passwords, session cookies, one-time codes.

Passwords are hashed with argon2. Tokens, session cookies and one-time codes are 256 random bits, kept by their SHA-256;
token secrets of earlier releases by argon2.
"""

from __future__ import annotations

import hashlib
import hmac
import secrets
import threading

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

TOKEN_PREFIX = "cad"
_hasher = PasswordHasher(time_cost=2, memory_cost=19 * 1024, parallelism=1)


def new_secret() -> str:
    """Return 256 random bits as text."""
    return secrets.token_urlsafe(32)


class _Pool:
    """Random bytes of the system's, taken many at once: asking for each would let other threads run in between."""

    def __init__(self) -> None:
        self._held = b""
        self._lock = threading.Lock()

    def take(self, count: int) -> bytes:
        """Return bytes that nobody else gets."""
        with self._lock:
            if len(self._held) < count:
                self._held = secrets.token_bytes(4096)
            taken, self._held = self._held[:count], self._held[count:]
        return taken


_pool = _Pool()


def new_id(length: int) -> str:
    """Return hexadecimal digits that no other id has, and that nobody can tell from those before."""
    return _pool.take((length + 1) // 2).hex()[:length]


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


_DIGEST = "sha256$"


def hashed_random(secret: str) -> str:
    """Return the hash of a secret of 256 random bits: nobody finds those by trying, so it need not be slow."""
    return _DIGEST + digest(secret)


def verify(stored: str, secret: str) -> bool:
    """Tell whether a secret has this hash."""
    if stored.startswith(_DIGEST):
        return same(stored, hashed_random(secret))
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

    def knows(self, stored: str, secret: str) -> bool:
        """Tell whether a secret was found to have this hash."""
        with self._lock:
            return self._known.get(digest(secret)) == stored

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
