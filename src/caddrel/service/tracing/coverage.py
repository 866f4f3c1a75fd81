"""The coverage grid of a rulebook, in a context that is asked for, and what is behind each cell.

Not here: how it is found (`core.cases.grid`).
"""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

import msgspec

from caddrel.core.cases.diagrams import TooLong
from caddrel.core.cases.grid import EVERYONE, Audience, Cell, Grid, grid
from caddrel.core.decide.decision import RuleRef
from caddrel.core.diagnostics import Diagnostic, did_you_mean, shorten
from caddrel.core.facts.attempts import SHORT, AttemptRefused, read_given_facts
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.facts import Facts, Setting
from caddrel.core.facts.types import Signals, Value
from caddrel.core.facts.values import show, to_json
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Entry, Inventory
from caddrel.core.language.nodes import Condition
from caddrel.core.logs.filters import FilterRefused, read_filter
from caddrel.core.reach.apps import PLAIN
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.audiences import audience_words
from caddrel.service.problems import ServiceError
from caddrel.service.state.context import State
from caddrel.service.tracing.cases import known_addresses
from caddrel.service.tracing.rehearse import rulebook_for
from caddrel.service.tracing.views import decision_view
from caddrel.wire import coverage as wire
from caddrel.wire.decisions import RehearseRequest
from caddrel.wire.decisions import RuleRef as WireRule

# Seconds of the processor for one grid; of two that are compared each may take as long.
LONGEST = 20.0
# Of a single row or column, which a page shows beside other things.
LONGEST_PART = 0.7
LONGEST_CONDITION = 4_000
# What every sign-in has unless something else is said: right, with a password alone, and nothing noticed about it.
_NOTHING_NOTICED: Mapping[str, Value] = {**PLAIN, "risk.attempt": "none", "signals": Signals()}
_SHOWN = ("auth.methods", "risk.attempt", "signals")


@dataclass(frozen=True, slots=True)
class _Part:
    """What of a grid is asked for: with more that every sign-in has, some audiences alone, and how long it may take."""

    more: Mapping[str, Value] = field(default_factory=dict)
    only: Sequence[Audience] | None = None
    longest: float = field(default_factory=lambda: LONGEST)


@dataclass(frozen=True, slots=True)
class _Made:
    grid: Grid
    given: Mapping[str, str]
    where: Condition | None
    password_alone: bool


def coverage(state: State, request: wire.GridRequest) -> wire.CoverageGrid:
    """Return all cells, compared with those of another rulebook where one is given.

    Raises
    ------
    AttemptRefused, ServiceError
        When the context cannot be read, or takes too long.
    """
    rulebook = _rulebook(state, request)
    inventory = _present(state)
    made = _made(state, rulebook, inventory, request)
    other = None
    if request.against_files is not None:
        against = msgspec.structs.replace(request, files=request.against_files, revision=None)
        other = _made(state, _rulebook(state, against), inventory, against).grid
    found = made.grid
    columns = list(found.apps)
    audiences = list(found.audiences)
    if other is not None:
        columns += [app for app in other.apps if app not in found.apps]
        audiences += [each for each in other.audiences if each not in found.audiences]
    counts = _counts(state, inventory, audiences)
    rows, changed = [], 0
    for audience in audiences:
        cells = []
        for app in columns:
            cell = _cell(found, audience, app)
            instead = None
            if other is not None:
                there = _cell(other, audience, app)
                if (there.mildest, there.strictest) != (cell.mildest, cell.strictest):
                    instead, changed = list(there.possible), changed + 1
            cells.append(_view(cell, instead))
        rows.append(wire.GridRow(audience.text, audience_words(audience.text, inventory), counts[audience], cells))
    apps = [wire.GridApp(app, _title(rulebook, inventory, app)) for app in columns]
    exact = found.exact and (other is None or other.exact)
    return wire.CoverageGrid(apps, rows, dict(made.given), request.where, made.password_alone, exact, changed)


def row_of(state: State, audience: Audience) -> wire.CoverageGrid | None:
    """Return the row of one audience that policies need not name; None where its cases take too long."""
    inventory, now = _present(state), state.clock()
    people = inventory.members_of(audience.name, now) if audience.kind == "group" else inventory.people.values()
    some = inventory.with_people(people)
    return _partly(state, some, _Part(only=[audience], longest=LONGEST_PART)) if people else None


def row_of_person(state: State, person: Entry) -> wire.CoverageGrid | None:
    """Return the row of one person; None where their cases take too long."""
    some = state.inventories.current().with_people([person])
    return _partly(state, some, _Part(only=[Audience(EVERYONE)], longest=LONGEST_PART))


def column_of(state: State, app: str) -> wire.CoverageGrid | None:
    """Return the column of one app; None where its cases take too long."""
    return _partly(state, _present(state), _Part({"app.id": app}, longest=LONGEST_PART))


def _present(state: State) -> Inventory:
    """Return the inventory without people who have left: they meet nothing anywhere."""
    inventory, now = state.inventories.current(), state.clock()
    if not any(person.off is not None and person.is_off(now) for person in inventory.people.values()):
        return inventory
    return inventory.with_people(person for person in inventory.people.values() if not person.is_off(now))


def _partly(state: State, inventory: Inventory, part: _Part) -> wire.CoverageGrid | None:
    request = wire.GridRequest()
    rulebook = _rulebook(state, request)
    try:
        made = _made(state, rulebook, inventory, request, part)
    except ServiceError as refused:
        if refused.code != "grid-too-large":
            raise
        return None
    counts = _counts(state, inventory, list(made.grid.audiences))
    rows = [
        wire.GridRow(
            audience.text, audience_words(audience.text, inventory), counts[audience],
            [_view(_cell(made.grid, audience, app)) for app in made.grid.apps],
        )
        for audience in made.grid.audiences
    ]  # fmt: skip
    apps = [wire.GridApp(app, _title(rulebook, inventory, app)) for app in made.grid.apps]
    return wire.CoverageGrid(apps, rows, dict(made.given), "", made.password_alone, made.grid.exact, 0)


def _view(cell: Cell, instead: list[str] | None = None) -> wire.GridCell:
    return wire.GridCell(list(cell.possible), list(cell.by_stance), list(cell.by_rules), instead)


def cell(state: State, request: wire.CellRequest) -> wire.CellDetail:
    """Return what is behind one cell; each case of it was decided by the interpreter.

    Raises
    ------
    AttemptRefused, ServiceError
        As `coverage` does, and when there is no such cell.
    """
    rulebook = _rulebook(state, request.grid)
    made = _made(state, rulebook, _present(state), request.grid)
    found = made.grid
    audience = next((each for each in found.audiences if each.text == request.audience), None)
    if audience is None or request.app not in found.apps:
        wanted, known = (request.audience, [each.text for each in found.audiences])
        if audience is not None:
            wanted, known = request.app, list(found.apps)
        hint = did_you_mean(wanted, known, "see the rows and columns of the grid")
        raise ServiceError(404, "not-found", f"the grid has no `{shorten(wanted)}`", hint)
    outcomes = []
    speaking: set[str] = set()
    for case in found.cases(audience, request.app):
        view = decision_view(case.decision)
        speaking |= {ref.policy for ref in case.deciding}
        outcomes.append(
            wire.CellOutcome(
                case.outcome, [_ref(each) for each in case.deciding], _told(case.facts), view.deciding,
                view.outstanding, view.in_the_way, view.tell,
            )
        )  # fmt: skip
    return wire.CellDetail(audience.text, request.app, sorted(speaking), outcomes, found.exact)


def _rulebook(state: State, request: wire.GridRequest) -> Rulebook:
    return rulebook_for(state, RehearseRequest(files=request.files, revision=request.revision))[0]


def _cell(found: Grid, audience: Audience, app: str) -> Cell:
    """Return a cell; one that only the other of two grids has is empty in this."""
    return found.cell(audience, app) if audience in found.audiences and app in found.apps else Cell(())


def _made(
    state: State, rulebook: Rulebook, inventory: Inventory, request: wire.GridRequest, part: _Part | None = None
) -> _Made:
    part = part or _Part()
    given = _given(rulebook.catalogue, request.given, state.clock())
    where = _where(request.where, rulebook)
    facts = complete(
        {**_NOTHING_NOTICED, **given, **part.more}, rulebook.catalogue, rulebook.settings.assume, inventory,
        Setting.REHEARSAL, state.clock(), state.addresses,
    )  # fmt: skip
    until, known = time.thread_time() + part.longest, known_addresses(state)
    try:
        found = grid(
            rulebook,
            facts,
            inventory,
            where,
            lambda: time.thread_time() > until,
            known,
            part.only,
            state.drafted.reads(rulebook),
        )
    except (TooLong, RecursionError):
        hint = "give more of the context: the place, the device, the moment"
        raise ServiceError(422, "grid-too-large", "the cases of this grid take too long to go through", hint) from None
    methods = facts.values.get("auth.methods")
    alone = isinstance(methods, dict) and set(methods) == {"pwd"}
    return _Made(found, _counted(rulebook.catalogue, facts, given), where, alone)


def _given(catalogue: Catalogue, given: Mapping[str, str], now: datetime) -> dict[str, Value]:
    found: dict[str, Value] = {}
    problems: list[Diagnostic] = []
    for name, text in given.items():
        try:
            if text.strip():
                found.update(read_given_facts({name: text}, catalogue, now))
        except AttemptRefused as refused:
            problems += refused.problems
    for name in found:
        if SHORT.get(name, name) in {"person.id", "app.id", "operation"}:
            hint = "`rehearse` is for one person and one app"
            problems.append(Diagnostic("bad-context", f"`{name}` is what the grid goes through", hint, path=name))
    if problems:
        raise AttemptRefused(problems)
    return found


def _where(text: str, rulebook: Rulebook) -> Condition | None:
    if not text.strip():
        return None
    if len(text) > LONGEST_CONDITION:
        raise ServiceError(413, "too-large", f"a condition has at most {LONGEST_CONDITION} characters")
    try:
        return read_filter(text, rulebook)
    except FilterRefused as refused:
        title = f"the condition cannot be read: {refused.problems[0].message}"
        raise ServiceError(422, "bad-filter", title, "", refused.problems) from None


def _counted(catalogue: Catalogue, facts: Facts, given: Mapping[str, Value]) -> dict[str, str]:
    """Return the facts of the context as text: those that were given, and what is taken as plain."""
    names = [*(name for name in _SHOWN if name in facts.values), *(name for name in given if name not in _SHOWN)]
    return {name: show(facts.values[name], catalogue[name]) or "nothing" for name in names if name in facts.values}


def _counts(state: State, inventory: Inventory, audiences: list[Audience]) -> dict[Audience, int]:
    counts = dict.fromkeys(audiences, 0)
    now = state.clock()
    for person in inventory.people.values():
        roles = person.facts.get("person.roles", frozenset())
        mine = [Audience(EVERYONE), Audience("kind", str(person.facts.get("person.kind", "")))]
        mine += [Audience("group", group) for group in inventory.groups_of(person, now)]
        mine += [Audience("role", role) for role in (roles if isinstance(roles, frozenset) else ())]
        for each in mine:
            if each in counts:
                counts[each] += 1
    return counts


def _title(rulebook: Rulebook, inventory: Inventory, app: str) -> str:
    entry, own = inventory.apps.get(app), rulebook.apps.get(app)
    return (own.title if own is not None else "") or (entry.title if entry is not None else "") or app


def _ref(ref: RuleRef) -> WireRule:
    return WireRule(ref.policy, ref.rule)


def _told(facts: Facts) -> dict[str, object]:
    """Return the facts of a case as a rehearsal is given them, without what the person and app supply."""
    supplied = {"person", "app"}
    return {
        name: to_json(value)
        for name, value in sorted(facts.values.items())
        if name.partition(".")[0] not in supplied or name.endswith(".id")
    }
