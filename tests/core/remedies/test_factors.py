"""With which factors a proof can be given, against every set of factors there is."""

from __future__ import annotations

from itertools import chain, combinations

from hypothesis import given, settings
from hypothesis import strategies as st

from caddrel.core.decide.requirements import YIELDS, is_mfa
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import Value
from caddrel.core.language.nodes import Item
from caddrel.core.remedies.factors import MOST_WAYS, ways
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

TEXT = """
caddrel: 1
settings: {keyholders: [group:keys]}
proofs:
  strong: {any_of: [[hwk], [swk, pop]]}
  odd: {any_of: [[face, hwk], [otp, sms]]}
  new: {any_of: [[starter-code], [hwk, face]]}
policies: {}
"""
RULEBOOK = read_rulebook(Source("r", TEXT)).or_raise()
ITEMS = [Item("mfa", ""), Item("mfa", "", 900), Item("proof", "strong"), Item("proof", "odd"), Item("proof", "new")]
ENROLLED = set(YIELDS) - {"password", "starter-code"}


def _enough(item: Item, factors: frozenset[str], methods: dict[str, float | None]) -> bool:
    """Say it anew: the methods that count and those that the factors yield."""
    fresh = {name for name, age in methods.items() if item.within is None or (age is not None and age <= item.within)}
    held = fresh | {method for factor in factors for method in YIELDS[factor]}
    if item.kind == "mfa":
        return is_mfa(held)
    return any(each <= held for each in RULEBOOK.proofs[item.name].any_of)


def _subsets(names: frozenset[str]) -> list[frozenset[str]]:
    sets = chain.from_iterable(combinations(sorted(names), size) for size in range(1, len(names) + 1))
    return [frozenset(each) for each in sets]


@given(
    st.sampled_from(ITEMS),
    st.frozensets(st.sampled_from(list(YIELDS))),
    st.dictionaries(st.sampled_from(["pwd", "otp", "face"]), st.sampled_from([0.0, 3600.0, None]), max_size=2),
)
@settings(max_examples=100, deadline=None)
def test_the_ways_are_the_smallest_sets_that_are_enough(
    item: Item, held: frozenset[str], methods: dict[str, float | None]
) -> None:
    values: dict[str, Value] = {"person.factors": held, "auth.methods": methods}
    facts = Facts(values, dict.fromkeys(values, Origin.REPORTED))
    found = ways(item, RULEBOOK, facts)
    assert found is not None

    def smallest(names: frozenset[str], beside: frozenset[str]) -> set[frozenset[str]]:
        enough = [each for each in _subsets(names) if _enough(item, each | beside, methods)]
        return {each for each in enough if not any(other < each for other in enough)}

    if _enough(item, frozenset(), methods):
        return
    own = smallest(held, frozenset())
    assert {frozenset(way) for way in found.held} <= own
    assert len(found.held) == min(len(own), MOST_WAYS)
    if own:
        assert found.enrolling == ()
    else:
        more = smallest(frozenset(ENROLLED - held), held)
        assert {frozenset(way) for way in found.enrolling} <= more
        assert len(found.enrolling) == min(len(more), MOST_WAYS)
    # A starter code is not enrolled: an administrator issues it, to somebody who has no other way.
    assert found.code == (not own and _enough(item, held | {"starter-code"}, methods))


def test_where_nobody_knows_the_factors_nothing_is_said() -> None:
    assert ways(ITEMS[0], RULEBOOK, Facts({}, {})) is None
