"""What shadow policies would have done: counted from what was decided beside every sign-in, without a replay.

A stricter outcome alone means a stricter one together too, since policies never take another's block or requirement
away: so only sign-ins of which the outcome with all of them differs are looked at.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta

from caddrel.core.facts.values import show_moment
from caddrel.core.rulebook.model import OUTCOMES, Policy
from caddrel.core.words.pieces import counted
from caddrel.service.state.context import State
from caddrel.store.queries import Query
from caddrel.wire import watch as wire

LONGEST = timedelta(days=30)
# A policy is ready to be enforced after so many days in shadow in which it would have stopped nobody who got in.
QUIET_DAYS = 7
_EPOCH = date(1970, 1, 1)


@dataclass(slots=True)
class _Would:
    """What a policy would have done: by day how often blocked and challenged, and whom."""

    blocked: dict[int, int] = field(default_factory=lambda: defaultdict(int))
    challenged: dict[int, int] = field(default_factory=lambda: defaultdict(int))
    people: set[str] = field(default_factory=set)


def shadow_policies(state: State, now: datetime) -> list[wire.ShadowPolicy]:
    """Return the shadow policies of the current revision, with what each alone would have done of late."""
    published = state.rulebooks.current()
    if published is None:
        return []
    policies = [policy for policy in published.rulebook.policies.values() if policy.mode == "shadow"]
    if not policies:
        return []
    since = {policy.id: _since(state, policy) for policy in policies}
    would = _would(state, now)
    counts = state.signins.per_day(Query(since=now - timedelta(days=QUIET_DAYS)))
    seen = sum(count for _, outcome, count in counts if outcome != "blocked")
    return [_view(policy, since[policy.id], would.get(policy.id, _Would()), now, seen) for policy in policies]


def _since(state: State, policy: Policy) -> datetime:
    """Return since when a policy is in shadow as it is now: a change begins it anew."""
    found = state.rulebooks.need_current().revision.published_at
    for revision in state.revisions.all():
        if state.rulebooks.policies_of(revision.number).get(policy.id) != policy:
            break
        found = revision.published_at
    return found


def _would(state: State, now: datetime) -> dict[str, _Would]:
    rows = list(state.signins.otherwise_in_shadow(now - LONGEST))
    documents = state.signins.documents("decision", {row.decision for row in rows})
    found: dict[str, _Would] = {}
    for row in rows:
        for policy, outcome in documents[row.decision]["shadow"]["each"].items():
            if OUTCOMES.index(outcome) <= OUTCOMES.index(row.outcome):
                continue
            mine = found.setdefault(policy, _Would())
            (mine.blocked if outcome == "blocked" else mine.challenged)[row.day] += row.count
            if row.person is not None:
                mine.people.add(row.person)
    return found


def _view(policy: Policy, since: datetime, would: _Would, now: datetime, seen: int) -> wire.ShadowPolicy:
    days = sorted(would.blocked.keys() | would.challenged.keys())
    first_quiet = ((now - timedelta(days=QUIET_DAYS)).date() - _EPOCH).days
    stopped = sum(count for day, count in would.blocked.items() if day >= first_quiet)
    age = now - since
    if age < timedelta(days=QUIET_DAYS):
        ready, why = False, f"it is in shadow for {age.days} of {QUIET_DAYS} days"
    elif not seen:
        ready, why = False, f"nobody signed in within the last {QUIET_DAYS} days, so there is nothing to go by"
    elif stopped:
        ready, why = False, f"it would have stopped {counted(stopped, 'sign-in')} within the last {QUIET_DAYS} days"
    else:
        ready, why = True, f"within the last {QUIET_DAYS} days it would have stopped nobody who got in"
    return wire.ShadowPolicy(
        policy.id,
        policy.title or policy.id,
        show_moment(since),
        sum(would.blocked.values()),
        sum(would.challenged.values()),
        sorted(would.people),
        [
            wire.ShadowDay((_EPOCH + timedelta(days=day)).isoformat(), would.blocked[day], would.challenged[day])
            for day in days
        ],
        ready,
        why,
    )
