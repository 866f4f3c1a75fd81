"""Somebody who is signed in at an app, and the cookie that says so.

The cookie holds the person and the session that Caddrel gave. A session is its person's and its door's alone, and
nobody can guess one: whoever changes the cookie has none.
"""

from __future__ import annotations

from dataclasses import dataclass
from http.cookies import CookieError, SimpleCookie
from urllib.parse import quote, unquote

COOKIE = "caddrel_door"
# Over https a browser takes this one from this very host alone (RFC 6265bis, section 4.1.3).
SECURE_COOKIE = "__Host-caddrel_door"
_LONGEST = 1_000


@dataclass(frozen=True, slots=True)
class Visitor:
    """Somebody who is signed in, by a session of this door."""

    person: str
    session: str


def visitor_of(cookies: str) -> Visitor | None:
    """Return who a request's cookies say is signed in, None for nobody.

    Parameters
    ----------
    cookies
        The header ``Cookie``.
    """
    try:
        found = SimpleCookie(cookies)
    except CookieError:
        return None
    held = found.get(SECURE_COOKIE) or found.get(COOKIE)
    if held is None or len(held.value) > _LONGEST:
        return None
    person, _, session = held.value.partition(":")
    return Visitor(unquote(person), session) if person and session else None


def cookie_for(visitor: Visitor | None, secure: bool) -> str:
    """Return the header ``Set-Cookie`` that has a browser keep who is signed in, or forget it.

    Parameters
    ----------
    secure
        Whether the app is reached by https.
    """
    name = SECURE_COOKIE if secure else COOKIE
    held = f"{quote(visitor.person, safe='')}:{quote(visitor.session, safe='')}" if visitor else ""
    ends = "" if visitor else "; Max-Age=0"
    return f"{name}={held}; Path=/; HttpOnly; SameSite=Lax{'; Secure' if secure else ''}{ends}"
