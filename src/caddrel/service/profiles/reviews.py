"""Reviews of policies: which are due, because nobody has looked, they have changed since, or it is time."""

from __future__ import annotations

from datetime import datetime, timedelta

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.values import ValueRefused, read_duration, read_moment, show_moment
from caddrel.core.rulebook.canonical import canonical
from caddrel.core.rulebook.model import Policy, Rulebook
from caddrel.core.rulebook.references import Ref, Users, policy_refs
from caddrel.service.auth.secrets import digest
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.reviews import Review
from caddrel.wire import sheets as wire

NEVER, CHANGED, DUE, GOOD = "never", "changed", "due", "good"
_ORDER = (DUE, CHANGED, NEVER, GOOD)
LONGEST_NOTE = 2_000


class Digests:
    """Digests of the policies of one rulebook, each with all parts that it is built from, whatever the layout is."""

    def __init__(self, rulebook: Rulebook, used: Users) -> None:
        self._rulebook = rulebook
        self._inside: dict[Ref, set[Ref]] = {}
        for ref, users in used.items():
            for user in users:
                self._inside.setdefault(user, set()).add(ref)
        self._parts: dict[Ref, str] = {}

    def of(self, policy: Policy) -> str:
        """Return the digest of a policy."""
        seen: set[Ref] = set()
        todo = list(policy_refs(policy))
        while todo:
            ref = todo.pop()
            if ref not in seen:
                seen.add(ref)
                todo += self._inside.get(ref, ())
        return digest("\n".join([canonical(policy), *(self._part(ref) for ref in sorted(seen))]))[:24]

    def _part(self, ref: Ref) -> str:
        if ref not in self._parts:
            section = _SECTIONS.get(ref.kind)
            self._parts[ref] = canonical(getattr(self._rulebook, section).get(ref.id)) if section else ""
        return self._parts[ref]


_SECTIONS = {
    "place": "places", "standard": "standards", "schedule": "schedules", "proof": "proofs", "notice": "notices",
    "signal": "signals",
}  # fmt: skip


def review_view(review: Review, now: str) -> wire.Review:
    """Return a review as it travels; `now` is the digest of the policy as it is."""
    again = show_moment(review.again) if review.again is not None else ""
    return wire.Review(review.policy, review.by, show_moment(review.at), again, review.note, review.digest != now)


def due(data: DataFolder, owner: str = "") -> wire.ReviewList:
    """Return the policies of the current revision with their last reviews, those that are due first.

    Parameters
    ----------
    owner
        Only theirs; everybody's when empty.
    """
    published = data.rulebooks.current()
    if published is None:
        return wire.ReviewList([])
    last, now = data.reviews.last(), data.clock()
    digests = Digests(published.rulebook, data.drafted.users(published.rulebook))
    found = []
    for policy in published.rulebook.policies.values():
        if owner.strip() and policy.owner.casefold() != owner.strip().casefold():
            continue
        review = last.get(policy.id)
        # What was never reviewed has nothing to be compared with.
        mark = digests.of(policy) if review is not None else ""
        state = _state(review, mark, now)
        view = review_view(review, mark) if review is not None else None
        found.append(wire.ReviewDue(policy.id, policy.title or policy.id, policy.owner, policy.mode, state, view))
    return wire.ReviewList(sorted(found, key=lambda each: (_ORDER.index(each.state), each.title)))


def _state(review: Review | None, mark: str, now: datetime) -> str:
    if review is None:
        return NEVER
    if review.again is not None and review.again <= now:
        return DUE
    return CHANGED if review.digest != mark else GOOD


def add(data: DataFolder, id: str, request: wire.ReviewRequest, by: str) -> wire.ReviewList:
    """Keep that a policy was reviewed as it is; return all as they are then.

    Raises
    ------
    ServiceError
        When there is no such policy, it has changed since it was looked at, or the time makes no sense.
    """
    published = data.rulebooks.need_current()
    policy = published.rulebook.policies.get(id)
    if policy is None:
        raise not_found(f"policy `{shorten(id)}`", "see GET /api/v1/rulebook/view")
    mark = Digests(published.rulebook, data.drafted.users(published.rulebook)).of(policy)
    if request.digest != mark:
        hint = "look at its sheet as it is now, and review that"
        raise ServiceError(409, "policy-changed", "the policy has changed since the sheet was made", hint)
    if len(request.note) > LONGEST_NOTE:
        raise ServiceError(422, "bad-review", f"a note has at most {LONGEST_NOTE} characters")
    now = data.clock()
    data.reviews.add(Review(id, mark, by, now, _again(request.again, now), request.note))
    return due(data)


def _again(text: str, now: datetime) -> datetime | None:
    if not text.strip():
        return None
    try:
        at = read_moment(text) if "-" in text else now + timedelta(seconds=read_duration(text))
    except (ValueRefused, OverflowError) as refused:
        raise ServiceError(422, "bad-review", str(refused), "such as 180d, or 2027-05-01T00:00:00Z") from None
    if at <= now:
        raise ServiceError(422, "bad-review", "it is due again in the future", "such as 180d")
    return at
