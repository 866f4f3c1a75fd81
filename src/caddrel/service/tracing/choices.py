"""What can be chosen for a fact of a rehearsal without knowing its spelling: places, zones, signals, notices.

Not here: values that the rulebook tells apart (`core.cases.values`).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.requirements import YIELDS
from caddrel.core.decide.truth import TRUE
from caddrel.core.facts.facts import AddressData, Setting
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import show
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.remedies.factors import FACTOR_WORDS
from caddrel.core.rulebook.model import Place, Rulebook
from caddrel.service.rulebooks.view import fact_view
from caddrel.wire.rulebooks import FactChoice, FactList, PlaceChoice

# So many addresses of a place are tried: the first may be excepted from it.
MOST_TRIED = 40


def fact_list(rulebook: Rulebook, inventory: Inventory, addresses: AddressData | None) -> FactList:
    """Return the facts of a rulebook with what can be chosen for them."""
    places = [found for place in rulebook.places.values() if (found := _place(place, rulebook, inventory, addresses))]
    zones = dict.fromkeys(str(schedule.zone) for schedule in rulebook.schedules.values())
    facts = [fact_view(spec, _choices(spec.name, rulebook)) for spec in rulebook.catalogue.values()]
    return FactList(facts, places, list(zones))


def _choices(fact: str, rulebook: Rulebook) -> list[FactChoice]:
    match fact:
        case "signals":
            return [FactChoice(signal.id, signal.title or signal.id) for signal in rulebook.signals.values()]
        case "auth.notices":
            return [FactChoice(notice.id, notice.title or notice.id) for notice in rulebook.notices.values()]
        case "auth.methods":
            # By the factor that yields them, as nobody knows the methods by heart.
            return [FactChoice(",".join(YIELDS[factor]), words) for factor, words in FACTOR_WORDS.items()]
        case _:
            return []


def _place(place: Place, rulebook: Rulebook, inventory: Inventory, addresses: AddressData | None) -> PlaceChoice | None:
    """Return facts of an attempt that comes from a place, looked at by the interpreter; None where none was found."""
    for tried, facts in enumerate(_samples(place, rulebook, set())):
        if tried == MOST_TRIED:
            break
        completed = complete(
            facts, rulebook.catalogue, rulebook.settings.assume, inventory, Setting.REHEARSAL, None, addresses
        )
        if Judge(rulebook, completed).place(place.id).truth is TRUE:
            given = {name: show(value, rulebook.catalogue[name]) for name, value in facts.items()}
            return PlaceChoice(place.id, place.title or place.id, given)
    return None


def _samples(place: Place, rulebook: Rulebook, seen: set[str]) -> Iterator[Mapping[str, Value]]:
    if place.id in seen:
        return
    seen.add(place.id)
    parts = place.parts
    for network in parts.networks:
        # The first address of a network names it, and belongs to nobody.
        inside = min(1, network.num_addresses - 1)
        yield {"network.ip": network.network_address + inside}
        yield {"network.ip": network.network_address + network.num_addresses // 2}
    yield from ({"network.country": country} for country in parts.countries)
    yield from ({"network.anonymiser": word} for word in parts.anonymisers)
    yield from ({"network.asn": number} for number in parts.asns)
    for name in parts.places:
        yield from _samples(rulebook.places[name], rulebook, seen)
