"""When wrong passwords lock a person out, by the strictest of the standards that apply."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta

from caddrel.core.rulebook.model import PasswordStandard


@dataclass(frozen=True, slots=True)
class LockOut:
    """A person is locked out until a moment, by a standard; `wrong` attempts led to it."""

    standard: str
    since: datetime
    until: datetime
    wrong: int


def lock_out(standards: Iterable[PasswordStandard], wrong: Iterable[datetime], at: datetime) -> LockOut | None:
    """Return the lock-out that holds at a moment, the one that lasts longest; None when there is none.

    A standard's lock begins with the attempt that makes `after` wrong ones `within` its time, and lasts `for` its time
    from then on. Right credentials in between do not wipe out wrong ones: else whoever guesses beside a person who
    keeps signing in would never be stopped.

    Parameters
    ----------
    wrong
        The moments of the person's attempts with wrong credentials, in any order.
    """
    moments = sorted(moment for moment in wrong if moment <= at)
    longest: LockOut | None = None
    for standard in standards:
        if not standard.lock:
            continue
        after, within, lasting = (int(str(standard.lock[key])) for key in ("after", "within", "for"))
        for i in range(after - 1, len(moments)):
            if moments[i] - moments[i - after + 1] <= timedelta(seconds=within):
                until = moments[i] + timedelta(seconds=lasting)
                if until > at and (longest is None or until > longest.until):
                    longest = LockOut(standard.id, moments[i], until, after)
    return longest
