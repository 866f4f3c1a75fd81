"""Which policies speak about an app, and which name a group."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from caddrel.core.decide.compiled.named_parts import FALSE, LISTS, Parts
from caddrel.core.inventory.completion import attributes_of
from caddrel.core.inventory.index import Entry
from caddrel.core.language.nodes import And, Condition, FactTest, Not, Or, tests_of
from caddrel.core.rulebook.model import Policy, Rulebook
from caddrel.core.words.policies import policy_words
from caddrel.service.rulebooks.view import pieces
from caddrel.wire import profiles as wire


def about_app(rulebook: Rulebook, app: Entry) -> list[wire.Speaks]:
    """Return the policies whose scope may cover an app: those that name it first, then those for all apps."""
    parts = Parts(rulebook)
    own, _ = attributes_of(app, "app", rulebook.catalogue)
    values = {"app.labels": frozenset(), **app.facts, "app.id": app.id, **own}

    def covers(policy: Policy) -> bool:
        scope = policy.scope
        condition: Condition = Or(tuple(each.condition for each in scope.apps))
        if scope.except_apps:
            condition = And((condition, Not(Or(tuple(each.condition for each in scope.except_apps)))))
        return parts.compiled(condition)(dict(values), {LISTS: {}}) != FALSE

    return _speaking(rulebook, covers, lambda policy: bool(policy.scope.naming))


def naming_group(rulebook: Rulebook, group: str) -> list[wire.Speaks]:
    """Return the policies that ask whether somebody is in a group: for their scope first, then in a rule."""

    def in_scope(policy: Policy) -> bool:
        scope = policy.scope
        return any(_asks(each.condition, group) for each in (*scope.people, *scope.except_people))

    def anywhere(policy: Policy) -> bool:
        return in_scope(policy) or any(_asks(rule.when, group) for rule in policy.rules if rule.when is not None)

    return _speaking(rulebook, anywhere, in_scope)


def _speaking(
    rulebook: Rulebook, speaks: Callable[[Policy], bool], naming: Callable[[Policy], bool]
) -> list[wire.Speaks]:
    def view(policy: Policy) -> wire.Speaks:
        says = pieces(policy_words(policy, rulebook))
        return wire.Speaks(policy.id, policy.title or policy.id, policy.mode, naming(policy), says)

    found = [
        view(policy)
        for policy in rulebook.policies.values()
        if speaks(policy)
    ]  # fmt: skip
    return sorted(found, key=lambda each: (each.mode == "off", not each.naming))


def _asks(condition: Condition, group: str) -> bool:
    return any(group in _named(test) for test in tests_of(condition) if isinstance(test, FactTest))


def _named(test: FactTest) -> Iterator[str]:
    if test.fact == "person.groups":
        yield from (str(operand.value) for operand in test.operands)
