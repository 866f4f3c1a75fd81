"""Whether keyholders and administrators can still get into the apps that everything is administered with."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.decision import Decision
from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.truth import TRUE
from caddrel.core.diagnostics import Diagnostic
from caddrel.core.facts.facts import AddressData, Facts, Setting
from caddrel.core.facts.types import Value
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Entry, Inventory
from caddrel.core.language.printer import print_item
from caddrel.core.lockout_check.candidates import FEEDS, Possible, possible, silenced
from caddrel.core.rulebook.model import OUTCOMES, Rulebook

ADMINISTRATOR, ADMINISTRATION = "administrator", "administration"
MOST_PEOPLE = 500


@dataclass(frozen=True, slots=True)
class LockedOut:
    """Somebody who cannot get in by any sign-in; `feed` is what has failed, empty while nothing has.

    `tried` is the sign-in that came furthest, and `decision` what was decided on it; `own_line` tells that the app is
    closed by its own line.
    """

    person: Entry
    app: str
    app_title: str
    feed: str
    tried: Possible
    decision: Decision
    own_line: bool = False


def locked_out(
    compiled: CompiledRulebook,
    inventory: Inventory,
    now: datetime,
    address_data: AddressData | None = None,
    before: CompiledRulebook | None = None,
) -> list[LockedOut]:
    """Return who could not get in, with all feeds alive and with each dead.

    Parameters
    ----------
    before
        What is in force now: who is locked out under it in the same way is not locked out anew. None tells everybody.
    """
    found = []
    for person in must_reach(compiled.rulebook, inventory, now):
        for app in administration_apps(compiled.rulebook, inventory):
            for feed in ("", *FEEDS):
                out = _best(compiled, inventory, person, app, feed, now, address_data)
                if out is None:
                    continue
                if before is not None and _best(before, inventory, person, app, feed, now, address_data) is not None:
                    continue
                found.append(out)
                if not feed:
                    # Whoever cannot get in with everything alive needs no telling what else could fail.
                    break
    return found


def administers(
    compiled: CompiledRulebook,
    inventory: Inventory,
    now: datetime,
    address_data: AddressData | None = None,
    first: str = "",
) -> str | None:
    """Return somebody who can get into an app that everything is administered with, None when nobody can.

    Parameters
    ----------
    first
        Who is tried first: whoever could before mostly still can.
    """
    rulebook = compiled.rulebook
    apps = administration_apps(rulebook, inventory)
    if not apps:
        return None
    people = inventory.people
    tried = [people[first]] if first in people and not people[first].is_off(now) else []
    # Whoever must get in is looked for only where that one cannot: everybody is gone through for it.
    for person in _one_after_another(tried, lambda: must_reach(rulebook, inventory, now)):
        if any(_best(compiled, inventory, person, app, "", now, address_data) is None for app in apps):
            return person.id
    return None


def _one_after_another(first: list[Entry], then: Callable[[], list[Entry]]) -> Iterator[Entry]:
    yield from first
    yield from then()


def must_reach(rulebook: Rulebook, inventory: Inventory, now: datetime) -> list[Entry]:
    """Return the keyholders, then the administrators, as they are at a moment."""
    # Whoever has left gets in nowhere, and must not.
    keyholders = [person for person in keyholders_of(rulebook, inventory, now) if not person.is_off(now)]
    holding = {person.id for person in keyholders}
    administrators = [
        person
        for person in inventory.people.values()
        if person.id not in holding
        and not person.is_off(now)
        and ADMINISTRATOR in (person.facts.get("person.roles") or ())  # type: ignore[operator]
    ]
    return [*keyholders, *administrators][:MOST_PEOPLE]


def keyholders_of(rulebook: Rulebook, inventory: Inventory, now: datetime) -> list[Entry]:
    """Return the people who surely hold keys at a moment."""
    selectors = rulebook.settings.keyholders
    if all(selector.kind in {"group", "person"} for selector in selectors):
        # Mostly they are named so, and then nothing else of a person is asked: there may be very many.
        named = {selector.id for selector in selectors if selector.kind == "person"}
        for selector in selectors:
            if selector.kind == "group":
                named |= {person.id for person in inventory.members_of(selector.id, now)}
        return [person for person in inventory.people.values() if person.id in named]
    found = []
    for person in inventory.people.values():
        said: dict[str, Value] = {"person.id": person.id, "time.at": now}
        judge = Judge(rulebook, complete(said, rulebook.catalogue, {}, inventory, Setting.OFFLINE))
        if any(judge.judge(selector.condition).truth is TRUE for selector in rulebook.settings.keyholders):
            found.append(person)
    return found


def administration_apps(rulebook: Rulebook, inventory: Inventory) -> list[str]:
    """Return the closed apps that the inventory labels `administration`; where none is, every closed app."""
    # Where the stance is open, none is closed but by a line of its own.
    known = {*rulebook.apps, *(inventory.apps if rulebook.settings.stance == "closed" else ())}
    closed = sorted(app for app in known if rulebook.stance_of(app) == "closed")
    labelled = [
        app for app in closed
        if app in inventory.apps and ADMINISTRATION in (inventory.apps[app].facts.get("app.labels") or ())  # type: ignore[operator]
    ]  # fmt: skip
    return labelled or closed


def _best(
    compiled: CompiledRulebook,
    inventory: Inventory,
    person: Entry,
    app: str,
    feed: str,
    now: datetime,
    address_data: AddressData | None,
) -> LockedOut | None:
    """Return the sign-in that came furthest, None when one was allowed."""
    rulebook = compiled.rulebook
    best: LockedOut | None = None
    for attempt, facts in _completed(rulebook, inventory, person, app, now, address_data):
        decision = compiled.decide(silenced(facts, feed, rulebook.settings.assume) if feed else facts)
        if decision.outcome == "allowed":
            return None
        if best is None or OUTCOMES.index(decision.outcome) < OUTCOMES.index(best.decision.outcome):
            entry = rulebook.apps.get(app)
            own = entry is not None and entry.stance == "closed"
            best = LockedOut(person, app, facts.app_title or app, feed, attempt, decision, own)
    return best


def _completed(
    rulebook: Rulebook,
    inventory: Inventory,
    person: Entry,
    app: str,
    now: datetime,
    address_data: AddressData | None,
) -> Iterator[tuple[Possible, Facts]]:
    for attempt in possible(rulebook, inventory, person, app, now):
        yield (
            attempt,
            complete(
                attempt.facts,
                rulebook.catalogue,
                rulebook.settings.assume,
                inventory,
                Setting.LIVE,
                now,
                address_data,
            ),
        )


def diagnostics(found: list[LockedOut]) -> list[Diagnostic]:
    """Return what was found as findings, with the sign-in that came furthest."""
    return [
        Diagnostic(
            "lockout-risk",
            f"{out.person.title or out.person.id} could not open {out.app_title} any more"
            f"{f', with {out.feed} dead' if out.feed else ''}: {_why(out)}",
            f"the best of their sign-ins: {out.tried.device}, {out.tried.place}",
            severity="warning",
            path=f"people.{out.person.id}",
        )
        for out in found
    ]


def _why(out: LockedOut) -> str:
    decision = out.decision
    if decision.reason == "closed":
        own = out.own_line
        return f"no policy{' that names it' if own else ''} lets them in"
    rules = ", ".join(f"`{ref.policy}` / {ref.rule}" for ref in decision.deciding[:3])
    if decision.reason == "effect":
        return f"blocked by {rules}"
    needed = ", ".join(print_item(item) for item in decision.outstanding or decision.in_the_way)
    return f"{rules} requires {needed}, which they cannot do"
