"""All cases against cases one by one: what is possible, what matters, and every path of the tree."""

from __future__ import annotations

import random
from dataclasses import replace
from datetime import UTC, datetime
from itertools import product
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.strategies import attempts, rulebooks, samples

from caddrel.core.cases import space as spaces
from caddrel.core.cases.answer import Answer, Witness, all_cases
from caddrel.core.cases.diagrams import Diagrams
from caddrel.core.cases.encoding import RESULTS, Encoder, tellings
from caddrel.core.cases.ownership import STANDING, STANDINGS, ContradictoryFacts
from caddrel.core.cases.reads import reads
from caddrel.core.cases.space import Space
from caddrel.core.cases.tree import Fork, Leaf, Tree
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.requirements import Requirements
from caddrel.core.decide.truth import TRUE
from caddrel.core.facts.attempts import read_told_facts
from caddrel.core.facts.catalogue import METHODS
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import FactType, Signals
from caddrel.core.facts.values import read_written
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.language.nodes import Item
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

slow = settings(
    max_examples=25, suppress_health_check=[HealthCheck.too_slow, HealthCheck.filter_too_much], deadline=None
)


def _read(text: str, attempt: dict[str, Any]) -> tuple[Rulebook, Facts]:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    return rulebook, complete(understood(rulebook, attempt), rulebook.catalogue, rulebook.settings.assume)


def understood(rulebook: Rulebook, attempt: dict[str, Any]) -> dict[str, Any]:
    """Return the facts of an attempt without what is on no list: a rehearsal is refused with that."""
    told, strange = read_told_facts(attempt, rulebook.catalogue)
    return {name: value for name, value in told.items() if name not in strange}


# Beside what rulebooks speak of, what lies between, and what nobody thought of.
_MORE = {
    FactType.NAME: ["zz"],
    FactType.TEXT: ["strasse says say", "a back\\slashé", "unknown", "x", "Straßeé"],
    FactType.PATH: ["/b", "/a/b/c", "/abc", "/a/bc"],
    FactType.VERSION: ["0", "9.0.1", "11", "14.3", "15.0", "100"],
    FactType.ADDRESS: ["192.0.2.8", "192.0.3.0", "::1", "255.255.255.255", "203.0.113.1"],
    FactType.NUMBER: ["1", "-4", "64501", "2.6", "100000"],
    FactType.MOMENT: [
        "2026-10-24T23:59:59Z", "2026-10-25T00:00:00Z", "2026-11-01T12:00:00Z", "2026-10-23T22:30:00Z",
        "2027-07-05T08:00:00Z", "2026-07-04T03:59:00Z", "2019-03-01T00:00:00Z", "2026-12-31T23:30:00Z",
        "2026-11-02T07:10:00.5Z", "2026-10-31T06:30:00Z",
    ],
    FactType.DURATION: ["1s", "91s", "16m", "5h", "31d", "400d"],
}  # fmt: skip


class _Everywhere:
    def __contains__(self, _: object) -> bool:
        return True


def _any_case(rulebook: Rulebook, given: Facts, open_: tuple[str, ...], rng: random.Random) -> Facts:
    """Return a case drawn fact by fact, from what rulebooks speak of and from what they do not."""
    values: dict[str, Any] = {}
    for name in open_:
        spec = rulebook.catalogue[name]
        texts = [] if spec.type is FactType.FLAG else samples(spec)
        if spec.type is FactType.METHODS:
            ages = [0, 1, 59, 60, 599, 600, 601, 3599, 3600, 3601, 7200, 90000]
            values[name] = {m: rng.choice(ages) for m in METHODS if rng.random() < 0.2}
        elif spec.type is FactType.NAMES:
            names = frozenset(each for each in texts if rng.random() < 0.5)
            values[name] = Signals(names) if name == "signals" else names
        elif spec.type is FactType.FLAG:
            values[name] = rng.random() < 0.5
        elif spec.words:
            values[name] = rng.choice(spec.words)
        else:
            usual = ["0", "7", "64500"] if name == "network.asn" else [*texts, *_MORE.get(spec.type, [])]
            values[name] = read_written(spec, rng.choice(usual))
    told = {n: v for n, v in given.values.items() if n in STANDING}
    if any(name in open_ for name in STANDING):
        fits = [each for each in STANDINGS if all(each[n] == v for n, v in told.items())]
        values |= {name: value for name, value in rng.choice(fits).items() if name in open_}
    settled = {name: value for name, value in spaces.SETTLED.items() if name not in given.values}
    whole = {**given.values, **settled, **values}
    age = whole.get("auth.age")
    return replace(
        given,
        values=whole,
        origins=dict.fromkeys(whole, Origin.REPORTED),
        lists={"listed": _Everywhere() if rng.random() < 0.5 else ()},
        default_age=age if isinstance(age, int | float) else None,
    )


def _leaf(tree: Tree, rulebook: Rulebook, facts: Facts) -> Any:
    judge = Judge(rulebook, facts)
    requirements = Requirements(rulebook, facts, lambda name: judge.standard(name).truth)
    while isinstance(tree, Fork):
        asks = tree.asks
        truth = requirements.met(asks) if isinstance(asks, Item) else judge.judge(asks).truth
        tree = tree.yes if truth is TRUE else tree.no
    return tree


def _is_true_of(answer: Answer, rulebook: Rulebook, facts: Facts) -> None:
    decision = decide(rulebook, facts)
    assert decision.outcome in answer.possible
    leaf = _leaf(answer.tree, rulebook, facts)
    assert decision.outcome in leaf.possible
    if not leaf.cut:
        assert {(ref.policy, ref.rule) for ref in decision.deciding} <= {(r.policy, r.rule) for r in leaf.deciding}


@given(rulebooks(), attempts(), st.integers(0, 1 << 30))
@slow
def test_every_case_has_a_possible_outcome_and_follows_the_tree_to_it(
    text: str, attempt: dict[str, Any], seed: int
) -> None:
    rulebook, facts = _read(text, attempt)
    try:
        answer = all_cases(rulebook, facts)
    except ContradictoryFacts:
        return
    assert set(answer.witnesses) == set(answer.possible)
    if not answer.exact:
        # It says so: nothing more is told then than what was found.
        assert answer.tree == Leaf(answer.possible, cut=True)
        return
    for outcome, witness in answer.witnesses.items():
        assert isinstance(witness, Witness)
        assert (witness.decision.outcome, witness.decision.certain) == (outcome, True)
        _is_true_of(answer, rulebook, witness.facts)
    rng = random.Random(seed)
    for _ in range(25):
        case = _any_case(rulebook, facts, answer.facts, rng)
        _is_true_of(answer, rulebook, case)
        # Another value of one fact alone: the outcome may turn only on what matters.
        other = _any_case(rulebook, facts, answer.facts, rng)
        for name in answer.facts:
            if name in STANDING:
                continue
            turned = replace(case, values={**case.values, name: other.values[name]}, lists=case.lists)
            if name == "auth.age":
                turned.default_age = turned.values[name]  # type: ignore[assignment]
            if decide(rulebook, turned).outcome != decide(rulebook, case).outcome:
                assert name in answer.matters


@given(rulebooks(), attempts())
@slow
def test_what_is_possible_and_what_matters_is_what_plain_enumeration_finds(text: str, attempt: dict[str, Any]) -> None:
    rulebook, facts = _read(text, attempt)
    diagrams = Diagrams(RESULTS, lambda: False)
    read = reads(rulebook)
    try:
        space = Space(rulebook, facts, None, read, diagrams)
        answer = all_cases(rulebook, facts)
    except ContradictoryFacts:
        return
    if not answer.exact:
        return
    encoder = Encoder(rulebook, space, read, diagrams)
    space.narrow(tellings(rulebook, read, encoder))
    encoded = encoder.encode()
    # What the outcome does not depend on is left at its first value: the test beside this one varies it.
    count = 1
    wanted = []
    for variable in space.variables:
        used = variable.number in diagrams.support(encoded.outcome)
        wanted.append(range(len(variable.values)) if used else range(1))
        count *= len(wanted[-1])
    if count > 3000:
        return
    outcomes = {}
    for choice in product(*wanted):
        case = space.case(dict(enumerate(choice)))
        outcomes[choice] = decide(rulebook, case).outcome
    assert set(outcomes.values()) == set(answer.possible)
    matters = set()
    for variable in space.variables:
        for name in variable.facts:
            pairs = set(space.pairs(variable, name))
            for choice, outcome in outcomes.items():
                for one, two in pairs:
                    if choice[variable.number] == one:
                        other = (*choice[: variable.number], two, *choice[variable.number + 1 :])
                        if outcomes.get(other, outcome) != outcome:
                            matters.add(name)
    assert matters & set(answer.facts) == set(answer.matters)


def some_inventory(rng: random.Random) -> Inventory:
    """Return a small inventory, of whose objects any fact may be missing."""

    def some(letter: str, count: int, more: dict[str, list[Any]]) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = []
        for i in range(count):
            each: dict[str, Any] = {"id": f"{letter}{i}" if rng.random() < 0.7 else ["a", "b", "one", "gate"][i]}
            each |= {name: rng.choice(words) for name, words in more.items() if rng.random() < 0.7}
            if each["id"] not in [other["id"] for other in found]:
                found.append(each)
        return found

    yes_no: list[Any] = [True, False]
    people: dict[str, list[Any]] = {
        "kind": ["employee", "guest"],
        "groups": [["a"], ["b"], []],
        "factors": [["password"], ["passkey"]],
    }
    devices: dict[str, list[Any]] = {
        "owner": ["company", "personal"],
        "platform": ["ios", "linux"],
        "managed": yes_no,
        "encrypted": yes_no,
        "os_version": ["9.0.1", "14.2", "15", "16"],
        # Another moment for each, so that no two are of the same age.
        "state_at": [f"2026-10-{day:02}T08:00:0{day % 10}Z" for day in range(1, 29)],
        "listed_at": [f"2026-09-{day:02}T08:00:0{day % 10}Z" for day in range(1, 29)],
    }
    document = {"people": some("p", 4, people), "devices": some("d", 4, devices), "groups": [{"id": "a"}, {"id": "b"}]}
    found, problems = read_inventory({**document, "apps": some("x", 3, {"labels": [["a"], ["b"]]})})
    assert not problems, problems
    return found


@given(rulebooks(), attempts(), st.integers(0, 1 << 30))
@slow
def test_with_an_inventory_cases_have_objects_of_it_as_they_are(text: str, attempt: dict[str, Any], seed: int) -> None:
    rng = random.Random(seed)
    inventory = some_inventory(rng)
    rulebook = read_rulebook(Source("r", text)).or_raise()
    told = understood(rulebook, attempt)
    facts = complete(told, rulebook.catalogue, rulebook.settings.assume, inventory)
    try:
        answer = all_cases(rulebook, facts, inventory)
    except ContradictoryFacts:
        return
    for _ in range(20):
        case = answer.any_case(rng.random) if answer.exact else None
        if case is None:
            return
        _is_true_of(answer, rulebook, case)
        ids = {
            f"{kind}.id": case.values[f"{kind}.id"]
            for kind in ("person", "app", "device")
            if f"{kind}.id" in answer.facts
        }
        at = {"time.at": case.values["time.at"]} if "time.at" in case.values else {}
        whole = complete({**ids, **at}, rulebook.catalogue, {}, inventory)
        for name, value in whole.values.items():
            if name in answer.facts and whole.origins[name] is Origin.INVENTORY and name not in told:
                assert case.values[name] == value, name
        if "person.id" in ids:
            assert ids["person.id"] in inventory.people
        standing = {name: case.values[name] for name in STANDING if name in case.values}
        assert any(all(each[n] == v for n, v in standing.items()) for each in STANDINGS), standing


AT = datetime(2026, 11, 1, 12, tzinfo=UTC)
STANDARD = "standards: {fresh: {checks: {a: {must: device.state_age is below 20d, fix: Sync.}}}}\n"
# What can be asked of an object of the inventory.
ASKED = (
    "device.state_age is above 15d", "not device passes fresh", "device.listed_for is at least 45d",
    "device.os_version is below 15", "device.platform is ios", "device.encrypted", "device.managed",
    "device.owner is company", "device.id is d0", "person.kind is guest", "person.groups has a", "person.id is p1",
    "person.factors has passkey", "app.labels has b", "app.id is one of [x0, gate]",
)  # fmt: skip


def _held_to_its_objects(rulebook: Rulebook, told: dict[str, Any], rng: random.Random) -> None:
    inventory = some_inventory(rng)
    facts = complete(told, rulebook.catalogue, rulebook.settings.assume, inventory)
    diagrams, read = Diagrams(RESULTS, lambda: False), reads(rulebook)
    try:
        space = Space(rulebook, facts, inventory, read, diagrams)
    except ContradictoryFacts:
        return
    space.narrow(tellings(rulebook, read, Encoder(rulebook, space, read, diagrams)))
    for variable in space.variables:
        kept = variable.values
        for value, place in zip(*space.stood_for.get(variable.number, ([], [])), strict=True):
            for _ in range(5):
                chosen = {each.number: rng.randrange(len(each.values)) for each in space.variables}
                chosen[variable.number] = place
                here = decide(rulebook, space.case(chosen))
                variable.values = [*kept[:place], value, *kept[place + 1 :]]
                there = decide(rulebook, space.case(chosen))
                variable.values = kept
                assert (here.outcome, here.deciding) == (there.outcome, there.deciding), (value, kept[place])


@given(rulebooks(), attempts(), st.integers(0, 1 << 30), st.booleans())
@slow
def test_what_stands_for_an_object_comes_out_as_that_object_does(
    text: str, attempt: dict[str, Any], seed: int, now: bool
) -> None:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    # Who, what and on what are open.
    others = {
        name: value for name, value in attempt.items() if name.partition(".")[0] not in {"person", "device", "app"}
    }
    told = understood(rulebook, others)
    if now:
        told["time.at"] = AT
    _held_to_its_objects(rulebook, told, random.Random(seed))


@pytest.mark.parametrize("asks", ASKED)
def test_whatever_is_asked_of_an_object_tells_it_apart(asks: str) -> None:
    text = f"caddrel: 1\n{STANDARD}policies:\n  p: {{mode: enforced, rules: [{{when: '{asks}', then: block}}]}}\n"
    rulebook = read_rulebook(Source("r", text)).or_raise()
    for seed in range(12):
        _held_to_its_objects(rulebook, {"time.at": AT}, random.Random(seed))


def _of(policy: str, **told: Any) -> Answer:
    rulebook = read_rulebook(Source("r", f"caddrel: 1\npolicies:\n  p: {policy}\n")).or_raise()
    return all_cases(rulebook, complete(told, rulebook.catalogue, {}))


def test_who_is_locked_out_is_stopped_just_where_a_password_was_used() -> None:
    policy = "{mode: enforced, rules: [{when: auth.methods has hwk, then: allow}]}"
    found = _of(policy, **{"auth.locked_out": True})
    assert (found.possible, found.matters) == (("allowed", "blocked"), ("auth.methods",))
    assert "pwd" in found.witnesses["blocked"].facts.values["auth.methods"]  # type: ignore[operator]
    assert _of(policy).possible == ("allowed",)


def test_an_answer_from_fewer_cases_than_there_are_says_so() -> None:
    def holding(parts: int) -> str:
        tests = " and ".join(f"client.name contains part{i:02}" for i in range(parts))
        return f"{{mode: enforced, rules: [{{when: {tests}, then: block}}]}}"

    assert (_of(holding(8)).exact, _of(holding(8)).possible) == (True, ("allowed", "blocked"))
    assert not _of(holding(9)).exact
