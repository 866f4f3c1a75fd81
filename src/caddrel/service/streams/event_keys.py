"""The keys that events are signed with: RSA, published as JWKS (RFC 7517), rotated; locked where they are kept."""

from __future__ import annotations

import json
import secrets
import threading
from datetime import timedelta
from typing import Any

from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import padding
from joserfc import jwt
from joserfc.jwk import RSAKey

from caddrel.service.state.data_folder import DataFolder
from caddrel.store.event_streams import SigningKey

ALGORITHM, BITS = "RS256", 2048
# A key signs so long, and is published so long after that: whoever has kept an event can still check it.
SIGNS_FOR, KNOWN_FOR = timedelta(days=90), timedelta(days=30)


class EventKeys:
    """Signs events; one for the whole service."""

    def __init__(self, data: DataFolder) -> None:
        self._data = data
        self._lock = threading.Lock()
        self._key: tuple[str, RSAKey] | None = None
        # As locked, and opened: opening one takes as long as fifty requests, and anybody may ask for what is published.
        self._open: dict[str, tuple[str, RSAKey]] = {}

    def sign(self, claims: dict[str, Any]) -> str:
        """Return a security event token (RFC 8417)."""
        kid, key = self._current()
        return jwt.encode({"typ": "secevent+jwt", "alg": ALGORITHM, "kid": kid}, claims, key, algorithms=[ALGORITHM])

    def current(self) -> str:
        """Return the id of the key that is signed with now."""
        return self._current()[0]

    def sign_bytes(self, kid: str, text: bytes) -> bytes:
        """Return a signature over bytes, by RSASSA-PKCS1-v1_5 with SHA-256 (RFC 9421, section 3.3.2)."""
        for each in self._data.event_streams.all_keys():
            key = self._opened(each) if each.kid == kid else None
            if key is not None:
                private = key.private_key
                assert private is not None
                return private.sign(text, padding.PKCS1v15(), hashes.SHA256())
        raise KeyError(kid)

    def published(self) -> dict[str, Any]:
        """Return the public keys, as a JWK set."""
        self._current()
        found = []
        for each in self._data.event_streams.all_keys():
            opened = self._opened(each)
            if opened is not None:
                public = opened.as_dict(private=False)
                found.append({**public, "kid": each.kid, "use": "sig", "alg": ALGORITHM})
        return {"keys": found}

    def rotate(self) -> str:
        """Sign with a new key from now on; return its id."""
        data, now = self._data, self._data.clock()
        key, kid = RSAKey.generate_key(BITS), f"k-{secrets.token_hex(8)}"
        with self._lock:
            data.event_streams.forget_keys(now - KNOWN_FOR)
            data.event_streams.add_key(SigningKey(kid, data.keys.lock(json.dumps(key.as_dict(private=True))), now))
            self._key = kid, key
            known = {each.kid for each in data.event_streams.all_keys()}
            self._open = {name: each for name, each in self._open.items() if name in known}
        return kid

    def _current(self) -> tuple[str, RSAKey]:
        newest = next(iter(self._data.event_streams.all_keys()), None)
        now = self._data.clock()
        if newest is not None and newest.retired is None and now - newest.created < SIGNS_FOR:
            with self._lock:
                if self._key is not None and self._key[0] == newest.kid:
                    return self._key
                opened = self._opened(newest)
                if opened is not None:
                    self._key = newest.kid, opened
                    return self._key
        # The first one, or one that has signed long enough; or one that another key of the folder had locked.
        self.rotate()
        assert self._key is not None
        return self._key

    def _opened(self, key: SigningKey) -> RSAKey | None:
        held = self._open.get(key.kid)
        if held is not None and held[0] == key.locked:
            return held[1]
        text = self._data.keys.unlock(key.locked)
        if text is None:
            return None
        opened = RSAKey.import_key(json.loads(text))
        self._open[key.kid] = key.locked, opened
        return opened
