"""Which policies speak about an app, and which name a group."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.truth import FALSE, TRUE
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import Value
from caddrel.core.inventory.completion import attributes_of
from caddrel.core.inventory.index import Entry
from caddrel.core.language.nodes import Condition, FactTest, tests_of
from caddrel.core.rulebook.model import Policy, Rulebook
from caddrel.core.words.policies import policy_words
from caddrel.service.rulebooks.view import pieces
from caddrel.wire import profiles as wire


def about_app(rulebook: Rulebook, app: Entry) -> list[wire.Speaks]:
    """Return the policies whose scope may cover an app: those that name it first, then those for all apps."""
    own, _ = attributes_of(app, "app", rulebook.catalogue)
    values: dict[str, Value] = {"app.labels": frozenset(), **app.facts, "app.id": app.id, **own}
    judge = Judge(rulebook, Facts(values, dict.fromkeys(values, Origin.INVENTORY)))

    def covers(policy: Policy) -> bool:
        chosen = any(judge.selected(each).truth is not FALSE for each in policy.scope.apps)
        return chosen and all(judge.selected(each).truth is not TRUE for each in policy.scope.except_apps)

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
