"""Who a rehearsal is about, as the policies see them: groups and where they come from, factors, what is asked of them.

Not here: the inventory itself (`core.inventory`), and all cases of the rehearsal (`tracing.cases`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from caddrel.core.cases.reads import Reads
from caddrel.core.decide.requirements import item_order
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import show, show_moment
from caddrel.core.inventory.index import Entry, Inventory
from caddrel.core.inventory.memberships import Membership, memberships
from caddrel.core.language.nodes import Item
from caddrel.core.language.printer import print_item
from caddrel.core.remedies.factors import FACTOR_WORDS, Ways, ways
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.cases import label_words
from caddrel.core.words.conditions import item_words
from caddrel.service.rulebooks.view import pieces
from caddrel.service.state.context import State
from caddrel.service.tracing.enrolment import tried
from caddrel.wire import rehearsals as wire

# These are shown for themselves.
_APART = {"person.id", "person.groups", "person.roles", "person.factors"}


def person_view(
    state: State,
    rulebook: Rulebook,
    facts: Facts,
    inventory: Inventory,
    asked: Iterable[Item],
    read: Reads,
    late: Callable[[], bool],
) -> wire.PersonView | None:
    """Return who an attempt is about; None where the inventory does not know them.

    Parameters
    ----------
    asked
        What is outstanding or in the way in some case.
    read
        What the policies read.
    late
        Tells that time has run out.
    """
    entry = inventory.people.get(str(facts.values.get("person.id")))
    if entry is None:
        return None
    needed = {
        item: found
        for item in sorted(set(asked), key=item_order)
        if item.kind in {"mfa", "proof"} and (found := ways(item, rulebook, facts)) is not None
    }
    factors = facts.values.get("person.factors")
    return wire.PersonView(
        entry.id,
        entry.title or entry.id,
        _groups(state, inventory, entry),
        sorted(_names(facts.values.get("person.roles"))),
        [_word(factor) for factor in FACTOR_WORDS if factor in factors] if isinstance(factors, frozenset) else None,
        list(_used(rulebook, facts, read)),
        [_needed(item, found, rulebook) for item, found in needed.items()],
        _enrolling(state, rulebook, facts, inventory, needed.values(), read, late),
    )


def _names(value: Value | None) -> frozenset[str]:
    return value if isinstance(value, frozenset) else frozenset()


def _word(factor: str) -> str:
    return FACTOR_WORDS[factor].partition(" ")[2]


def _groups(state: State, inventory: Inventory, entry: Entry) -> list[wire.GroupView]:
    def title(id: str) -> str:
        group = inventory.groups.get(id)
        return (group.title if group else "") or id

    def view(found: Membership) -> wire.GroupView:
        until = show_moment(found.until) if found.until is not None else ""
        return wire.GroupView(found.group, title(found.group), [title(each) for each in found.through], until)

    return [view(each) for each in memberships(inventory, entry, state.clock())]


def _used(rulebook: Rulebook, facts: Facts, read: Reads) -> Iterable[wire.UsedFact]:
    for name in sorted(read.facts - _APART):
        value = facts.values.get(name)
        if name.startswith("person.") and value is not None:
            shown = show(value, rulebook.catalogue[name])
            yield wire.UsedFact(name, label_words(name), shown, facts.origins[name].value)


def _needed(item: Item, found: Ways, rulebook: Rulebook) -> wire.ProofNeeded:
    words = pieces(item_words(item, rulebook))
    held = [[_word(factor) for factor in way] for way in found.held]
    enrolling = [[_word(factor) for factor in way] for way in found.enrolling]
    return wire.ProofNeeded(print_item(item), words, held, enrolling, found.code)


def _enrolling(
    state: State,
    rulebook: Rulebook,
    facts: Facts,
    inventory: Inventory,
    needed: Iterable[Ways],
    read: Reads,
    late: Callable[[], bool],
) -> list[wire.Enrolling]:
    """Return what can come of enrolling each factor that would help, the rest of the attempt being as it is.

    Factors of which the same can be said are told together.
    """
    wanted = dict.fromkeys(factor for found in needed for way in found.enrolling for factor in way)
    made: dict[tuple[object, ...], wire.Enrolling] = {}
    for factor in wanted:
        asked: dict[str, Value] = {"operation": "enrol-factor", "enrolling.factor": factor}
        found = tried(state, rulebook, inventory, facts, read, late, asked)
        key = (found.sentence, found.answer.possible, found.code, found.answer.exact)
        if key in made:
            made[key].factors.append(_word(factor))
        else:
            possible, exact = list(found.answer.possible), found.answer.exact
            made[key] = wire.Enrolling([_word(factor)], pieces(found.sentence), possible, exact, found.code)
    return list(made.values())
