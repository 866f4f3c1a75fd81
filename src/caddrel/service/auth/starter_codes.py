"""Issuing starter codes, and what of them is told."""

from __future__ import annotations

import secrets
from datetime import UTC, timedelta

from caddrel.core.diagnostics import did_you_mean, shorten
from caddrel.core.facts.values import ValueRefused, read_duration, read_moment, show_moment
from caddrel.service.auth.secrets import digest, new_id
from caddrel.service.problems import ServiceError
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.starter_codes import StarterCode
from caddrel.wire import starter_codes as wire

LONGEST = timedelta(days=30)
# Letters and digits that are not mistaken for one another; four groups of four are 80 bits.
_ALPHABET = "23456789ABCDEFGHJKLMNPQRSTUVWXYZ"


def issue(data: DataFolder, request: wire.StarterCodeRequest, by: str) -> wire.StarterCodeMade:
    """Return a new code for a person; its text is kept nowhere.

    Raises
    ------
    ServiceError
        When nobody is known by that id, or the times make no sense.
    """
    people, now = data.inventories.current().people, data.clock()
    if request.person not in people:
        hint = did_you_mean(request.person, people, "see caddrel people list")
        raise ServiceError(422, "bad-starter-code", f"there is no person `{shorten(request.person)}`", hint)
    try:
        lasts = timedelta(seconds=read_duration(request.lasts))
        starts = read_moment(request.starts).astimezone(UTC) if request.starts else now
    except (ValueRefused, OverflowError) as refused:
        raise ServiceError(422, "bad-starter-code", str(refused), "such as 8h, 2026-11-02T07:10:00Z") from None
    if not timedelta(0) < lasts <= LONGEST or starts + lasts <= now or starts - now > LONGEST:
        hint = "it lasts up to 30 days, starts within 30 days, and ends in the future"
        raise ServiceError(422, "bad-starter-code", "a code for that time would be of no use", hint)
    letters = "".join(secrets.choice(_ALPHABET) for _ in range(16))
    code = "-".join(letters[i : i + 4] for i in range(0, 16, 4))
    kept = StarterCode(new_id(12), request.person, starts, starts + lasts, now, by)
    data.starter_codes.add(kept, code_digest(code))
    return wire.StarterCodeMade(view(kept), code)


def code_digest(text: str) -> str:
    """Return the hash of a code as a person typed it: hyphens, spaces and case do not matter."""
    return digest(text.upper().replace("-", "").replace(" ", ""))


def view(code: StarterCode) -> wire.StarterCodeInfo:
    """Return a code as it travels."""
    used = show_moment(code.used) if code.used is not None else None
    return wire.StarterCodeInfo(
        code.id, code.person, show_moment(code.starts), show_moment(code.ends), show_moment(code.issued),
        code.issued_by, used, code.used_for, show_moment(code.revoked) if code.revoked is not None else None,
    )  # fmt: skip
