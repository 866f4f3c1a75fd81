"""How a part of the current revision stands now: devices that pass, open or closed, sign-ins that came from it."""

from __future__ import annotations

from collections import Counter
from datetime import timedelta

from caddrel.core.diagnostics import shorten
from caddrel.core.rulebook.model import OUTCOMES
from caddrel.core.words.pieces import counted
from caddrel.service.authoring.part_status import standing
from caddrel.service.authoring.scope_members import Covering
from caddrel.service.problems import not_found
from caddrel.service.signins.log_filter import read_where
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.queries import Query
from caddrel.wire import authoring as wire

SEEN_DAYS = 7
SECTIONS = ("places", "standards", "schedules")


def part_standing(data: DataFolder, covering: Covering, path: str) -> wire.Standing:
    """Return how a part of the current revision stands now; of a place also how many sign-ins came from it of late.

    Parameters
    ----------
    path
        Such as ``places.terminals``.

    Raises
    ------
    ServiceError
        When there is no such part.
    """
    rulebook, (section, _, id) = data.rulebooks.need_current().rulebook, path.partition(".")
    if section not in SECTIONS or id not in getattr(rulebook, section):
        raise not_found(f"`{shorten(path)}` that stands anyhow", "such as places.terminals; standards and schedules do")
    if section == "places":
        conditions, judge = read_where(data, f"from {id}")
        since = data.clock() - timedelta(days=SEEN_DAYS)
        counts: Counter[str] = Counter()
        for _, outcome, count in data.signins.per_day(Query(conditions=conditions, judge=judge, since=since)):
            counts[outcome] += count
        told = ", ".join(f"{counts[outcome]} {outcome}" for outcome in OUTCOMES if counts[outcome])
        many = f"{counted(counts.total(), 'sign-in')} of the last {SEEN_DAYS} days came from it"
        return wire.Standing([f"{many}: {told}." if told else f"No sign-in of the last {SEEN_DAYS} days came from it."])
    return standing(data, covering, rulebook, section, id) or wire.Standing([])
