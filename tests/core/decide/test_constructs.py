"""What the random tests can write: every construct of the language, in every place where it may stand."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from hypothesis import HealthCheck, Phase, given, seed, settings
from tests.strategies import SPECS, rulebooks

from caddrel.core.language.nodes import And, Condition, During, FactTest, FromPlace, Not, Or, Passes, Surely
from caddrel.core.language.operators import OPERATORS
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

SELECTORS = {"people": "person.", "except_people": "person.", "apps": "app.", "except_apps": "app."}
PLACES = (*SELECTORS, "when", "must")
PARTS = ("from", "from any of", "device passes", "during")
CONSTRUCTS = ("and", "or", "not", "surely", *PARTS, *(f"test {op.name}" for op in OPERATORS))

ROUNDS = 10


def constructs(node: Condition) -> Iterator[str]:
    """Yield the names of the constructs that a condition is made of."""
    match node:
        case And(parts=parts) | Or(parts=parts):
            yield "and" if isinstance(node, And) else "or"
            for part in parts:
                yield from constructs(part)
        case Not(part=part) | Surely(part=part):
            yield "not" if isinstance(node, Not) else "surely"
            yield from constructs(part)
        case FactTest(op=op):
            yield f"test {op.name}"
        case FromPlace(listed=listed):
            yield "from any of" if listed else "from"
        case Passes():
            yield "device passes"
        case During():
            yield "during"


def conditions_of(rulebook: Rulebook) -> Iterator[tuple[str, Condition]]:
    """Yield every condition of a rulebook with the place where it stands."""
    for policy in rulebook.policies.values():
        for place in SELECTORS:
            for selector in getattr(policy.scope, place):
                if selector.kind == "where":
                    yield place, selector.condition
        yield from (("when", rule.when) for rule in policy.rules if rule.when is not None)
    for standard in rulebook.standards.values():
        yield from (("must", check.must) for check in standard.checks)


def may_stand(construct: str, place: str) -> bool:
    """Tell whether a construct may stand in a place: selectors ask facts of the person or the app alone."""
    prefix = SELECTORS.get(place)
    if prefix is None or construct in {"and", "or", "not", "surely"}:
        return True
    if construct in PARTS:
        return False
    row = next(row for op, row in OPERATORS.items() if f"test {op.name}" == construct)
    return any(spec.type in row.types for name, spec in SPECS.items() if name.startswith(prefix))


def test_random_rulebooks_hold_every_construct_in_every_place() -> None:
    seen: Counter[tuple[str, str]] = Counter()
    others: Counter[str] = Counter()

    def look(text: str) -> None:
        rulebook = read_rulebook(Source("r", text)).or_raise()
        for place, condition in conditions_of(rulebook):
            seen.update((construct, place) for construct in constructs(condition))
        for policy in rulebook.policies.values():
            others["active"] += policy.scope.active is not None
            others["operations"] += policy.scope.operations != ("sign-in",)
            others["naming"] += bool(policy.scope.naming)
            for name in SELECTORS:
                others.update(f"{name} {selector.kind}" for selector in getattr(policy.scope, name))
            others.update(f"{policy.mode} {rule.effect.kind}" for rule in policy.rules)
        others["closed line"] += any(app.stance == "closed" for app in rulebook.apps.values())
        others[f"setting {rulebook.settings.stance}"] += 1
        others["assumed"] += bool(rulebook.settings.assume)

    wanted = {(construct, place) for construct in CONSTRUCTS for place in PLACES if may_stand(construct, place)}
    kinds = {"people": "everyone group role person kind unit where", "apps": "every-app app label where"}
    kinds |= {f"except_{name}": found.partition(" ")[2] for name, found in kinds.items()}
    named = {f"{name} {kind}" for name, found in kinds.items() for kind in found.split()}
    modes = {
        f"{mode} {effect}" for mode in ("enforced", "shadow") for effect in ("allow", "block", "abstain", "require")
    }
    rest = {"active", "operations", "naming", "closed line", "setting open", "setting closed", "assumed"}
    # In rounds, each with a seed of its own: no more than it takes to come by them all.
    for number in range(ROUNDS):
        chosen = settings(
            max_examples=100, deadline=None, phases=[Phase.generate], database=None,
            suppress_health_check=list(HealthCheck),
        )  # fmt: skip
        chosen(seed(number)(given(rulebooks())(look)))()
        missing = wanted - set(seen)
        absent = {name for name in (*named, *modes, *rest) if not others[name]}
        if not missing and not absent:
            break
    assert sorted(missing) == []
    assert sorted(absent) == []
