"""What somebody's plain sign-ins come to now, as it is told, and where somebody mostly comes from."""

from __future__ import annotations

from collections.abc import Mapping

from caddrel.core.decide.interpreter.interpreter import Explained
from caddrel.core.decide.interpreter.judge import Beside
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import show_moment
from caddrel.core.inventory.index import Inventory
from caddrel.core.reach.apps import Reached, decided, reach
from caddrel.core.words.decisions import decision_words
from caddrel.service.rulebooks.view import pieces
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.titles import title_of, titled
from caddrel.store.signins import SigninRecord
from caddrel.wire import profiles as wire
from caddrel.wire.decisions import RuleRef

SHOWN = 12


def reached(data: DataFolder, inventory: Inventory, person: str, given: Mapping[str, Value]) -> list[wire.AppReach]:
    """Return what a plain sign-in of somebody to each app comes to now, each explained by the interpreter."""
    published = data.rulebooks.current()
    if published is None:
        return []
    rulebook = titled(published.rulebook, inventory)
    found = reach(published.compiled, inventory, person, data.clock(), given, data.addresses)
    beside = Beside()
    return [
        _view(inventory, each, decided(rulebook, published.compiled, each, beside), person)
        for each in found
    ]  # fmt: skip


def _view(inventory: Inventory, each: Reached, explained: Explained, person: str) -> wire.AppReach:
    says = pieces(decision_words(explained, title_of(inventory, "people", person)))
    deciding = [RuleRef(ref.policy, ref.rule) for ref in explained.decision.deciding]
    title = title_of(inventory, "apps", each.app) or each.app
    return wire.AppReach(each.app, title, each.outcome, says, deciding)


def signin_lines(records: list[SigninRecord]) -> list[wire.SigninLine]:
    """Return the latest sign-ins as lines."""
    return [
        wire.SigninLine(
            record.id, show_moment(record.at), *(str(record.columns.get(name) or "") for name in _COLUMNS)
        )
        for record in records[:SHOWN]
    ]  # fmt: skip


_COLUMNS = ("person", "app", "device", "outcome")
