"""The key of a data folder: what seals its trails and keeps its secrets, beside the database and not in it.

Made when there is none; or given, so that it can be kept where whoever writes the folder cannot read it.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import secrets
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from caddrel.store.log_seal import is_sealed

NAME = "folder.key"
_LENGTH = 32


class KeyRefused(ValueError):
    """A file that holds no key."""


class Keys:
    """Keys for several ends, all from one.

    Parameters
    ----------
    key
        32 random bytes.

    Attributes
    ----------
    made
        Whether the key was made just now: nothing can have been sealed with it before.
    """

    def __init__(self, key: bytes, made: bool = False) -> None:
        self._key = key
        self.made = made

    def of(self, end: str) -> bytes:
        """Return the key for an end: 32 bytes that tell nothing of those for others (HMAC-SHA-256)."""
        return hmac.new(self._key, end.encode(), hashlib.sha256).digest()

    def lock(self, text: str) -> str:
        """Return a text that only this key opens."""
        return self._fernet().encrypt(text.encode()).decode()

    def unlock(self, locked: str) -> str | None:
        """Return what a text was locked from, None when this key does not open it."""
        try:
            return self._fernet().decrypt(locked.encode()).decode()
        except InvalidToken:
            return None

    def _fernet(self) -> Fernet:
        return Fernet(base64.urlsafe_b64encode(self.of("secrets at rest")))

    def sign(self, text: str) -> str:
        """Return the Ed25519 signature of a text (RFC 8032), in base64."""
        return base64.b64encode(self._signing().sign(text.encode())).decode()

    def public(self) -> str:
        """Return the key that signatures are checked with, as PEM."""
        raw = self._signing().public_key()
        found = raw.public_bytes(serialization.Encoding.PEM, serialization.PublicFormat.SubjectPublicKeyInfo)
        return found.decode()

    def _signing(self) -> Ed25519PrivateKey:
        return Ed25519PrivateKey.from_private_bytes(self.of("signatures"))


def open_keys(folder: Path, given: Path | None = None) -> Keys:
    """Return the keys of a folder, made when there are none.

    Parameters
    ----------
    given
        A file that holds the key, elsewhere.

    Raises
    ------
    KeyRefused
        When the file holds none, or the folder is sealed with one that is not there.
    """
    path = given or folder / NAME
    if given is None and not path.exists():
        if is_sealed(folder / "signins.sqlite"):
            # A key made now would seal anew whatever is there, also what somebody has changed.
            raise KeyRefused(
                f"{folder} is sealed with a key that is not in it: name it with --key-file. Where it is lost, put a "
                f"new one into {NAME}, {_LENGTH} bytes in hexadecimal digits: nothing before it can be proven then"
            )
        key = secrets.token_bytes(_LENGTH)
        path.touch(mode=0o600, exist_ok=False)
        path.write_text(key.hex() + "\n", encoding="ascii")
        return Keys(key, made=True)
    try:
        key = bytes.fromhex(path.read_text(encoding="ascii").strip())
    except (ValueError, OSError):
        key = b""
    if len(key) != _LENGTH:
        raise KeyRefused(f"{path} holds no key: {_LENGTH} bytes in hexadecimal digits are needed")
    return Keys(key)
