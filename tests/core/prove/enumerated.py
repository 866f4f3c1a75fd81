"""Small rulebooks over few facts, of which every attempt can be tried: proofs must say what trying them all says."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import product
from typing import Any

from hypothesis import strategies as st

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.decision import Decision
from caddrel.core.decide.interpreter.interpreter import Others, explain
from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.requirements import Requirements, formula_holds
from caddrel.core.decide.truth import TRUE
from caddrel.core.facts.attempts import read_facts
from caddrel.core.facts.facts import Facts
from caddrel.core.inventory.completion import complete
from caddrel.core.language.nodes import Item
from caddrel.core.prove.comparison import changes, differs
from caddrel.core.prove.dead_rules import idle, redundant
from caddrel.core.prove.guarantees import Prover, prove, without_and_with
from caddrel.core.rulebook.model import Guarantee, Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

# Of each fact every value that tests below tell apart; None where nobody reports it.
VALUES: dict[str, list[Any]] = {
    "risk.attempt": [None, "none", "low", "medium", "high"],
    "person.kind": [None, "guest", "employee", "contractor"],
    "client.vetted": [None, True, False],
    "client.kind": [None, "browser", "legacy", "native"],
    "auth.methods": [
        None,
        *(
            {name: age for name, age in (("pwd", pwd), ("otp", otp)) if age != "not"}
            for pwd in ("not", 60, 7200)
            for otp in ("not", 60, 7200)
        ),
    ],
    "person.factors": [None, [], ["authenticator-app"]],
}
_ASKED = {"mfa": ("auth.methods", "person.factors"), "vetted client": ("client.vetted",)}
_TESTS = [
    ("risk.attempt", "risk.attempt is at least medium"), ("risk.attempt", "risk.attempt is below low"),
    ("risk.attempt", "risk.attempt is high"), ("risk.attempt", "risk.attempt is known"),
    ("person.kind", "person.kind is guest"), ("person.kind", "person.kind is one of [guest, employee]"),
    ("client.vetted", "client.vetted"), ("client.vetted", "client.vetted is unknown"),
    ("client.kind", "client.kind is not legacy"), ("client.kind", "client.kind is browser"),
]  # fmt: skip
_EFFECTS = [
    "allow", "block", "abstain", "require mfa", "require mfa within 15m", "require vetted client",
    "require mfa and vetted client", "require mfa within 15m or vetted client",
]  # fmt: skip


@dataclass(frozen=True)
class Small:
    """A rulebook, the same with something changed, and the facts that they read."""

    text: str
    other: str
    facts: tuple[str, ...]

    def attempts(self) -> Iterator[dict[str, Any]]:
        """Yield every attempt."""
        for values in product(*(VALUES[name] for name in self.facts)):
            yield {name: value for name, value in zip(self.facts, values, strict=True) if value is not None}


@st.composite
def small(draw: st.DrawFn) -> Small:
    """Return rulebooks of up to three policies over up to two facts besides those that requirements read."""
    facts = draw(
        st.lists(
            st.sampled_from(["risk.attempt", "person.kind", "client.kind", "client.vetted"]),
            min_size=1,
            max_size=2,
            unique=True,
        )
    )
    tests = [test for fact, test in _TESTS if fact in facts]

    def condition(depth: int = 0) -> str:
        kind = draw(st.integers(0, 7 if depth < 2 else 3))
        if kind <= 3:
            return draw(st.sampled_from(tests))
        if kind == 4:
            return f"not ({condition(depth + 1)})"
        if kind == 5:
            return f"surely ({condition(depth + 1)})"
        return f"({condition(depth + 1)}) {'and' if kind == 6 else 'or'} ({condition(depth + 1)})"

    def policy() -> str:
        rules = []
        for _ in range(draw(st.integers(1, 3))):
            when = f"when: '{condition()}', " if draw(st.integers(0, 3)) else ""
            rules.append(f"{{{when}then: {draw(st.sampled_from(_EFFECTS))}}}")
        mode = draw(st.sampled_from(["enforced", "enforced", "enforced", "shadow", "off"]))
        # Whom is said by facts of people alone.
        about = draw(st.sampled_from([test for test in tests if "risk" not in test and "client" not in test] or [""]))
        whom = draw(
            st.sampled_from(["", "people: ['kind:guest'], ", f"people: [{{where: '{about}'}}], " if about else ""])
        )
        return f"{{mode: {mode}, {whom}rules: [{', '.join(rules)}]}}"

    policies = [policy() for _ in range(draw(st.integers(1, 3)))]
    others = list(policies)
    others[draw(st.integers(0, len(others) - 1))] = policy()
    bound = draw(
        st.sampled_from(
            [
                "at_least: block",
                "at_least: require mfa",
                "at_least: require vetted client",
                "at_most: challenged",
                "at_most: allowed",
            ]
        )
    )
    when = f"when: '{condition()}', " if draw(st.booleans()) else ""
    text = "\n".join([*policies, *others, bound])
    read = {*facts, *(name for asked, names in _ASKED.items() if asked in text for name in names)}
    if "kind:guest" in text:
        read.add("person.kind")
    shadow = draw(st.sampled_from(["yes", "no"]))
    guarantee = f"guarantees: {{g: {{for: {{people: [everyone]}}, {when}{bound}, with_shadow: {shadow}}}}}\n"
    stance = f"settings: {{stance: {draw(st.sampled_from(['open', 'closed']))}}}\n"
    one, other = (_document(stance, each, guarantee) for each in (policies, others))
    return Small(one, other, tuple(sorted(read)))


def _document(stance: str, policies: list[str], guarantee: str) -> str:
    lines = "\n".join(f"  p{number}: {policy}" for number, policy in enumerate(policies))
    return f"caddrel: 1\n{stance}policies:\n{lines}\n{guarantee}"


def assert_proven_is_enumerated(case: Small) -> None:
    """Compare every kind of proof with what comes of trying every attempt.

    Raises
    ------
    AssertionError
        When they differ.
    """
    one, other = (read_rulebook(Source("r", text)).or_raise() for text in (case.text, case.other))
    tried = list(case.attempts())
    # Under all of these rulebooks they have the same facts.
    each = [complete(read_facts(attempt, one.catalogue), one.catalogue, one.settings.assume) for attempt in tried]
    tries = _Tries(each)
    warm = Prover(one, list(one.guarantees.values()), None, _plenty)
    for rulebook in (one, other, one):
        (guarantee,) = rulebook.guarantees.values()
        judged = _with_shadow(rulebook) if guarantee.with_shadow else rulebook
        broken = [
            attempt
            for attempt, facts, decision in zip(tried, each, tries.of(judged), strict=True)
            if _breaks(judged, facts, decision, guarantee, all(name in attempt for name in case.facts))
        ]
        answer = prove(rulebook, guarantee, None, _plenty).answer
        assert answer == ("fails" if broken else "holds"), (answer, broken[:3])
        # As asked after the one before, of whose formulas some do for it.
        edited = warm.edited(rulebook, [guarantee], _plenty)
        assert edited is not None
        warm = edited
        assert warm.prove(guarantee).answer == answer
    others = Others()
    # No condition here reads what was proven: whether a rule fires does not turn on it.
    apart = [facts for attempt, facts in zip(tried, each, strict=True) if not set(attempt) & set(_ASKED["mfa"])]
    says = [steps for facts in apart for steps in explain(one, facts, others=others).policies]
    fired = {(steps.policy.id, rule.id) for steps in says for rule in steps.says.rules}
    rules = {(p.id, rule.id) for p in one.policies.values() if p.mode != "off" for rule in p.rules}
    never = {(i.policy, i.rule) for i in idle(one, None, _plenty).items if i.kind == "never-fires"}
    assert never == rules - fired
    nothing = {each.policy for each in redundant(one, None, _plenty).items}
    for policy in one.policies.values():
        if policy.mode == "off":
            continue
        without, with_it = (tries.of(side) for side in without_and_with(one, policy.id))
        assert (policy.id in nothing) == (not any(map(differs, without, with_it))), policy.id
    pairs = zip(tries.of(one), tries.of(other), strict=True)
    differing = {(before.outcome, after.outcome) for before, after in pairs if differs(before, after)}
    assert {change.kind for change in changes(one, other, None, _plenty)} == differing


class _Tries:
    """What all attempts come to, of every rulebook that is asked about, once for those that say the same."""

    def __init__(self, several: list[Facts]) -> None:
        self._several = several
        # With what they are of, that nothing else takes the place of their rules in memory.
        self._found: dict[tuple[tuple[str, str, int], ...], tuple[Rulebook, list[Decision]]] = {}

    def of(self, rulebook: Rulebook) -> list[Decision]:
        """Return decisions by the compiled evaluator, of which every nineteenth is the interpreter's too."""
        says = tuple(sorted((p.id, p.mode, id(p.rules)) for p in rulebook.policies.values() if p.mode != "off"))
        if says not in self._found:
            compiled, others = CompiledRulebook(rulebook), Others()
            found = [compiled.decide(facts) for facts in self._several]
            for facts, decision in zip(self._several[::19], found[::19], strict=True):
                assert explain(rulebook, facts, others=others).decision == decision
            self._found[says] = (rulebook, found)
        return self._found[says][1]


def _with_shadow(rulebook: Rulebook) -> Rulebook:
    texts = {id: policy for id, policy in rulebook.policies.items() if policy.mode == "shadow"}
    found = rulebook
    for id in texts:
        _, found = without_and_with(found, id)
    return found


def _breaks(rulebook: Rulebook, facts: Facts, decision: Decision, guarantee: Guarantee, known: bool) -> bool:
    judge = Judge(rulebook, facts)
    when = TRUE if guarantee.when is None else judge.judge(guarantee.when).truth
    outcome = decision.outcome
    if guarantee.bound == "at_most":
        worse = outcome == "blocked" if guarantee.outcome == "challenged" else outcome != "allowed"
        return known and when is TRUE and worse
    if when.name == "FALSE":
        return False
    assert guarantee.effect is not None
    formula = guarantee.effect.formula
    if formula is None:
        return outcome != "blocked"
    requirements = Requirements(rulebook, facts, lambda name: judge.standard(name).truth)

    def met(item: Item) -> bool:
        return requirements.met(item) is TRUE

    return outcome == "allowed" and not formula_holds(formula, met)


def _plenty() -> float:
    return 1e6
