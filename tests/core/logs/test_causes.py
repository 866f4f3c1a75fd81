"""A cause that is remembered is the one that would be worked out anew."""

from __future__ import annotations

from datetime import UTC, datetime
from ipaddress import ip_network
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st
from tests.core.decide.test_evaluators_agree import LISTED, NOW, slow
from tests.strategies import attempts, rulebooks

from caddrel.core.columnar.fact_groups import split
from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.facts.attempts import read_told_facts
from caddrel.core.facts.facts import TO_COME, Setting
from caddrel.core.facts.record import facts_json
from caddrel.core.inventory.address_lists import AddressList
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.logs.causes import Causes, cause_of
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

# Rules that one decision comes of for many reasons: of each group of facts, of what is an attempt's own, by each way in
# which a rule looks at facts.
RULEBOOK = read_rulebook(
    Source(
        "r.yaml",
        """
caddrel: 1
settings: {stance: open}
places: {yard: {title: Yard, lists: [listed]}, far: {title: Far, countries: [IS]}}
schedules: {shore: {zone: UTC, hours: {mon-sun: ["08:00-10:00"]}}}
signals: {odd: {title: Odd, kind: first-seen, of: device.id, after: 1, history: 5}}
standards:
  base: {checks: {managed: {must: device.managed, fix: Enrol it.}}}
  tidy: {checks: {based: {must: device passes base, fix: See to it.}, locked: {must: device.encrypted, fix: Lock it.}}}
policies:
  one:
    mode: enforced
    apps: [one]
    rules:
      - when: person.kind is guest or app.labels has any of [money] or not device passes tidy or from yard
              or from far or client.kind is legacy or signals has odd
        then: block
  own:
    mode: enforced
    apps: [own]
    rules: [{when: not during shore or person.kind is guest, then: block}]
  aged:
    mode: enforced
    apps: [aged]
    rules: [{when: not auth.age is at most 1h or surely network.asn is known, then: block}]
  asked:
    mode: enforced
    apps: [asked]
    rules: [{then: require device passes tidy}]
""",
    )
).or_raise()
_VALUES: dict[str, list[Any]] = {
    "person.kind": ["guest", "employee"], "app.labels": [["money"], []], "device.managed": [True, False],
    "device.encrypted": [True, False], "network.ip": ["198.51.100.1", "192.0.2.1"], "network.country": ["IS", "NO"],
    "network.asn": [1], "client.kind": ["legacy", "browser"], "signals": [["odd"], []], "auth.age": [5, 7200],
}  # fmt: skip
INVENTORY = Inventory(lists=[AddressList("listed", [ip_network("198.51.100.0/24")])])


@st.composite
def _alike(draw: st.DrawFn) -> list[tuple[dict[str, Any], datetime]]:
    """Draw attempts that differ from the one before in one fact each, or in the hour."""
    names = draw(st.lists(st.sampled_from(sorted(_VALUES)), unique=True))
    attempt = {name: draw(st.sampled_from(_VALUES[name])) for name in names}
    attempt["app.id"] = draw(st.sampled_from(["one", "own", "aged", "asked"]))
    found = []
    for _ in range(draw(st.integers(2, 12))):
        name = draw(st.sampled_from(sorted(_VALUES)))
        attempt = {**attempt, name: draw(st.sampled_from([*_VALUES[name], None]))}
        found.append((attempt, datetime(2026, 11, 1, draw(st.sampled_from([9, 9, 12])), tzinfo=UTC)))
    return found


def _assert_as_anew(
    rulebook: Rulebook, inventory: Inventory, several: list[tuple[dict[str, Any], datetime]], causes: Causes
) -> None:
    compiled = CompiledRulebook(rulebook, 7)
    for attempt, now in [*several, *several]:
        told, strange = read_told_facts(attempt, rulebook.catalogue)
        facts = complete(
            told, rulebook.catalogue, rulebook.settings.assume, inventory, Setting.LIVE, now, not_understood=strange
        )  # fmt: skip
        facts.reference = TO_COME
        decision = compiled.decide(facts)
        bundles = split(facts_json(facts, ["listed"]))[1]
        assert causes.of_live(rulebook, facts, bundles, decision) == cause_of(rulebook, facts, decision)


@settings(max_examples=300)
@given(_alike())
def test_one_decision_has_as_many_causes_as_there_are_reasons_for_it(
    several: list[tuple[dict[str, Any], datetime]],
) -> None:
    _assert_as_anew(RULEBOOK, INVENTORY, several, Causes())


@given(rulebooks(), st.lists(attempts(), min_size=1, max_size=6))
@slow
def test_of_any_rulebook_it_is_the_one_worked_out_anew(text: str, several: list[dict[str, Any]]) -> None:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    _assert_as_anew(rulebook, Inventory(lists=[LISTED]), [(attempt, NOW) for attempt in several], Causes())
