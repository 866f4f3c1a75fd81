"""Somebody who is signed in at an app, and the cookie that says so.

The cookie holds the person and the session that Caddrel gave. A session is its person's and its door's alone, and
nobody can guess one: whoever changes the cookie has none.
"""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import quote, unquote

from werkzeug.http import parse_cookie

COOKIE = "caddrel_door"
# Over https a browser takes this one from this very host alone (RFC 6265bis, section 4.1.3).
SECURE_COOKIE = "__Host-caddrel_door"
_LONGEST = 1_000


@dataclass(frozen=True, slots=True)
class Visitor:
    """Somebody who is signed in, by a session of this door."""

    person: str
    session: str


def visitor_of(cookies: str, secure: bool) -> Visitor | None:
    """Return who a request's cookies say is signed in, None for nobody.

    Parameters
    ----------
    cookies
        The header ``Cookie``.
    secure
        Whether the app is reached by https: then only the cookie counts that nobody else could have set.
    """
    held = parse_cookie(cookies).get(SECURE_COOKIE if secure else COOKIE, "")
    person, _, session = held.partition(":")
    return Visitor(unquote(person), unquote(session)) if person and session and len(held) <= _LONGEST else None


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
