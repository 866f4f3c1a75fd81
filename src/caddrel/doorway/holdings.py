"""What a demo person knows and holds: a password, an authenticator, a telephone; it lives as long as the doorway."""

from __future__ import annotations

import hmac
import secrets
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

import pyotp
from argon2 import PasswordHasher
from argon2.exceptions import VerificationError

# Everybody's at the start. There is nothing behind this door that it could open.
FIRST_PASSWORD = "Low tide at 06:40"
TEXT_LASTS = 300
ISSUER = "Kelpline"
_STEP = 30
_hasher = PasswordHasher(time_cost=2, memory_cost=19 * 1024, parallelism=1)

# RFC 8176 methods that each factor proves.
PROVES: dict[str, tuple[str, ...]] = {
    "password": ("pwd",),
    "authenticator-app": ("otp",),
    "text-message": ("sms",),
    "push": ("swk", "mca"),
    "security-key": ("hwk", "pop"),
    "passkey": ("swk", "pop", "user", "fpt"),
    "certificate": ("sc",),
}
# Those that are a code to type; the others are a prompt to answer.
CODES = ("authenticator-app", "text-message")


@dataclass(slots=True)
class Holdings:
    """One person's. A code is good once, as RFC 6238, section 5.2 asks."""

    person: str
    clock: Callable[[], float] = time.time
    secret: str = field(default_factory=pyotp.random_base32)
    _digest: str = ""
    _last_step: int = -1
    _once: threading.Lock = field(default_factory=threading.Lock)
    _text: str = ""
    _text_until: float = 0.0

    @property
    def chosen(self) -> bool:
        """Tell whether the person has chosen a password of their own."""
        return bool(self._digest)

    def choose(self, password: str) -> None:
        """Set the password; only its hash is kept."""
        self._digest = _hasher.hash(password)

    def knows(self, password: str) -> bool:
        """Tell whether this is the password."""
        if not self._digest:
            return hmac.compare_digest(password.encode(), FIRST_PASSWORD.encode())
        try:
            return _hasher.verify(self._digest, password)
        except VerificationError:
            return False

    def code_now(self) -> str:
        """Return what the authenticator app shows."""
        return pyotp.TOTP(self.secret).at(int(self.clock()))

    def setup(self) -> str:
        """Return the link that sets up an authenticator app."""
        return pyotp.TOTP(self.secret).provisioning_uri(name=self.person, issuer_name=ISSUER)

    def is_code(self, typed: str) -> bool:
        """Tell whether a code of the authenticator app is good: this step's, or a neighbour's, and not used before."""
        now = int(self.clock())
        # Good once, also for two who give it at the same instant.
        with self._once:
            return self._take_code(now, typed)

    def _take_code(self, now: int, typed: str) -> bool:
        for step in range(now // _STEP - 1, now // _STEP + 2):
            if step > self._last_step and hmac.compare_digest(
                pyotp.TOTP(self.secret).at(step * _STEP).encode(), typed.strip().encode()
            ):
                self._last_step = step
                return True
        return False

    def send_text(self) -> None:
        """Send a code to the telephone."""
        self._text = f"{secrets.randbelow(10**6):06}"
        self._text_until = self.clock() + TEXT_LASTS

    def text_now(self) -> str:
        """Return the text message on the telephone, empty when there is none."""
        return self._text if self.clock() < self._text_until else ""

    def is_text(self, typed: str) -> bool:
        """Tell whether a code sent as a text message is good; it is then used up."""
        with self._once:
            sent = self.text_now()
            good = bool(sent) and hmac.compare_digest(sent.encode(), typed.strip().encode())
            if good:
                self._text = ""
            return good
