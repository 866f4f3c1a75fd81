"""A policy on one page, spelled out for somebody who does not know the language.

Not here: how the page is drawn; the console and the command line do that.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import timedelta

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.values import show_moment
from caddrel.core.inventory.index import Inventory
from caddrel.core.lint.context import Context
from caddrel.core.lint.rehearsals import Kept, kept
from caddrel.core.rulebook.model import Policy, Rule, Rulebook
from caddrel.core.rulebook.references import Ref, Users, policy_refs
from caddrel.core.words.conditions import condition_words
from caddrel.core.words.pieces import capital, say
from caddrel.core.words.policies import effect_words, policy_words, scope_words
from caddrel.service.authoring.scope_members import Covering
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.profiles.reviews import Digests, review_view
from caddrel.service.rulebooks import drafts as drafting
from caddrel.service.rulebooks.view import part_views, pieces
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.titles import title_of, titled
from caddrel.store.queries import Query
from caddrel.wire import sheets as wire
from caddrel.wire.profiles import NamedObject
from caddrel.wire.rulebooks import PartView

DAYS = 30
MOST_NAMED = 40
MOST_CHANGES = 6
MOST_REVISIONS = 60


def policy_sheet(data: DataFolder, covering: Covering, id: str, draft: str = "") -> wire.PolicySheet:
    """Return the sheet of a policy.

    Raises
    ------
    ServiceError
        When there is no such policy, or the draft has errors.
    """
    rulebook, number, users = _rulebook(data, draft)
    policy = rulebook.policies.get(id)
    if policy is None:
        raise not_found(f"policy `{shorten(id)}`", "see GET /api/v1/rulebook/view")
    digests = Digests(rulebook, users)
    return _sheet(data, covering, rulebook, policy, number, draft, _rehearsals(data, rulebook), digests, users)


def policy_sheets(data: DataFolder, covering: Covering, draft: str = "") -> wire.PolicySheets:
    """Return the sheets of all policies, by owner and title."""
    rulebook, number, users = _rulebook(data, draft)
    rehearsals = _rehearsals(data, rulebook)
    ordered = sorted(rulebook.policies.values(), key=lambda each: (each.owner, each.title or each.id))
    digests = Digests(rulebook, users)
    sheets = [_sheet(data, covering, rulebook, policy, number, draft, rehearsals, digests, users) for policy in ordered]
    return wire.PolicySheets(number, draft, rulebook.settings.stance, show_moment(data.clock()), sheets)


def _rulebook(data: DataFolder, draft: str) -> tuple[Rulebook, int | None, Users]:
    """Return a rulebook with titles, its revision's number, and which objects name which."""
    inventory = data.inventories.current()
    if not draft:
        published = data.rulebooks.need_current()
        users = data.drafted.users(published.rulebook)
        return titled(published.rulebook, inventory), published.revision.number, users
    found = drafting.read(data, draft)
    if found is None:
        raise ServiceError(422, "draft-has-errors", f"the draft `{shorten(draft)}` has errors", "mend them first")
    return titled(found, inventory), None, data.drafted.users(found)


def _sheet(
    data: DataFolder,
    covering: Covering,
    rulebook: Rulebook,
    policy: Policy,
    number: int | None,
    draft: str,
    rehearsals: list[Kept],
    digests: Digests,
    users: Users,
) -> wire.PolicySheet:
    scope, inventory = policy.scope, data.inventories.current()
    active = {}
    if scope.active is not None:
        bounds = {"from": scope.active.start, "until": scope.active.end}
        active = {name: show_moment(at) for name, at in bounds.items() if at is not None}
    mine = Ref("policy", policy.id)
    digest = digests.of(policy)
    return wire.PolicySheet(
        number,
        draft,
        policy.id,
        policy.title or policy.id,
        policy.mode,
        policy.owner,
        policy.why,
        policy.note,
        policy.contact or rulebook.settings.contact,
        active,
        pieces(policy_words(policy, rulebook)),
        pieces(capital(scope_words(scope, rulebook))),
        _scoped(inventory, "people", covering.of(rulebook, scope, "people")),
        _scoped(inventory, "apps", covering.of(rulebook, scope, "apps")),
        [_rule(rule, rulebook, policy.contact or rulebook.settings.contact) for rule in policy.rules],
        list(_parts(rulebook, policy, users)),
        _guarantees(rulebook, policy, users),
        [
            wire.SheetRehearsal(each.rehearsal.id, each.rehearsal.title or each.rehearsal.id, each.outcome, each.ok)
            for each in rehearsals
            if any(ref.policy == mine.id for ref in each.explained.decision.deciding)
        ],
        list(_changes(data, policy)) if number is not None else [],
        _effect(data, policy.id) if number is not None else None,
        [review_view(each, digest) for each in data.reviews.of(policy.id)],
        digest,
    )  # fmt: skip


def _guarantees(rulebook: Rulebook, policy: Policy, used: Users) -> list[NamedObject]:
    """Return the guarantees that name a part which the policy is built from."""
    mine = set(policy_refs(policy))
    users = {user for ref, named in used.items() if ref in mine for user in named}
    return [
        NamedObject(each.id, each.title or each.id)
        for each in rulebook.guarantees.values()
        if Ref("guarantee", each.id) in users
    ]


def _scoped(inventory: Inventory, noun: str, covered: dict[str, bool]) -> wire.Scoped:
    first = [NamedObject(id, title_of(inventory, noun, id) or id) for id in list(covered)[:MOST_NAMED]]
    return wire.Scoped(len(covered), len(getattr(inventory, noun)), first)


def _rule(rule: Rule, rulebook: Rulebook, contact: str) -> wire.SheetRule:
    when = pieces(say(condition_words(rule.when, rulebook))) if rule.when is not None else []
    then = pieces(capital(say(effect_words(rule.effect, rulebook))))
    tell = rule.tell.replace("{contact}", contact)
    return wire.SheetRule(rule.id, rule.title or rule.id, when, then, tell, rule.link)


def _parts(rulebook: Rulebook, policy: Policy, used: Users) -> Iterator[PartView]:
    """Yield the parts that a policy is built from, in the order written, each followed by those that it names."""
    inside: dict[Ref, list[Ref]] = {}
    for ref, users in used.items():
        for user in users:
            inside.setdefault(user, []).append(ref)
    views = {Ref(view.kind, view.id): view for view in part_views(rulebook, used)}
    seen: set[Ref] = set()
    todo = list(policy_refs(policy))
    while todo:
        ref = todo.pop(0)
        if ref not in seen:
            seen.add(ref)
            todo = [*inside.get(ref, ()), *todo]
            if ref in views:
                yield views[ref]


def _rehearsals(data: DataFolder, rulebook: Rulebook) -> list[Kept]:
    return list(kept(Context(rulebook, data.inventories.current()))) if rulebook.rehearsals else []


def _changes(data: DataFolder, policy: Policy) -> Iterable[wire.SheetChange]:
    """Yield the revisions in which the policy became another, the latest first."""
    revisions = sorted(data.revisions.all(), key=lambda each: each.number, reverse=True)[: MOST_REVISIONS + 1]
    there = [(each, data.rulebooks.policies_of(each.number).get(policy.id)) for each in revisions]
    count = 0
    for place, (revision, now) in enumerate(there):
        before = there[place + 1][1] if place + 1 < len(there) else None
        # Of very many revisions the first that is looked at is not taken for the one that brought it.
        if now == before or (place + 1 == len(there) and len(there) > MOST_REVISIONS):
            continue
        count += 1
        if count > MOST_CHANGES:
            return
        yield wire.SheetChange(revision.number, show_moment(revision.published_at), revision.published_by, revision.why)


def _effect(data: DataFolder, id: str) -> wire.SheetEffect:
    query = Query(equal={"policy": id}, since=data.clock() - timedelta(days=DAYS))
    counts = {"allowed": 0, "challenged": 0, "blocked": 0}
    for _, outcome, count in data.signins.per_day(query):
        counts[outcome] = counts.get(outcome, 0) + count
    people, _ = data.causes.affected(query)
    return wire.SheetEffect(DAYS, counts["allowed"], counts["challenged"], counts["blocked"], people)
