"""Making tokens: for a role, for some areas, for a door with what it may report and see."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta

from caddrel.core.diagnostics import did_you_mean, shorten
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.claims import REPORTED
from caddrel.service.auth import secrets
from caddrel.service.problems import ServiceError
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.accounts import DEVICE, DOOR, PEOPLE, ROLES, Token

# What a token can be for alone: the first word of an address of the API. Not tokens and accounts: whoever may make
# those can do anything.
AREAS = (
    "acceptances", "apps", "audit", "causes", "devices", "doctor", "drafts", "event-keys", "facts", "feeds", "groups",
    "held-changes", "hooks", "imports", "inventory", "jobs",
    "language", "limits", "lists", "mappings", "passwords", "people", "rehearse", "replays", "reviews", "rulebook",
    "selectors", "sessions", "signins", "sources", "standards", "starter-codes", "tightenings", "unlisted-devices",
    "watch",
)  # fmt: skip


def make_token(
    data: DataFolder, name: str, role: str, days: int, by: str, reports: Sequence[str] = (), sees: bool = False,
    only: Sequence[str] = (),
) -> tuple[Token, str]:  # fmt: skip
    """Return a new token and its text, which is not kept anywhere."""
    if role not in ROLES or not name.strip() or len(name) > 100 or not 1 <= days <= 3660:
        raise ServiceError(
            422, "bad-token", "a token needs a name, a role and 1 to 3660 days", f"roles: {', '.join(ROLES)}"
        )
    if role == DEVICE and name not in data.inventories.current().devices:
        hint = "the token of a device has the device's id for its name"
        raise ServiceError(422, "bad-token", f"there is no device `{shorten(name)}`", hint)
    for area in only:
        if area not in AREAS or role not in PEOPLE:
            hint = did_you_mean(area, AREAS, f"of viewers, authors, publishers and operators: {', '.join(AREAS)}")
            raise ServiceError(422, "bad-token", f"a {role}'s token cannot be for `{shorten(area)}` only", hint)
    now = data.clock()
    id, secret, text = secrets.new_token()
    token = Token(
        id, name.strip(), role, secrets.hashed_random(secret), now, by, now + timedelta(days=days), None,
        _reports(data, role, reports), sees and role == DOOR, tuple(dict.fromkeys(only)),
    )  # fmt: skip
    data.accounts.add_token(token)
    return token, text


def _reports(data: DataFolder, role: str, asked: Sequence[str]) -> tuple[str, ...]:
    """Return what a door may report; of other roles nothing."""
    published = data.rulebooks.current()
    catalogue = published.rulebook.catalogue if published is not None else Catalogue()
    for name in asked:
        if name not in catalogue and name not in catalogue.prefixes:
            hint = did_you_mean(name, catalogue, "a fact, or the beginning of several such as network")
            raise ServiceError(422, "bad-token", f"there is no fact `{shorten(name)}`", hint)
    if role != DOOR:
        return ()
    return tuple(asked) or REPORTED
