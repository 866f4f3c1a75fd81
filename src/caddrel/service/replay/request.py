"""What a replay is asked for, and its answer in lines: how far it is, what changes, what it came to.

Runs in a process of its own; whatever is needed of drafts travels with the request.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import msgspec

from caddrel.core.columnar.batch import moment_of
from caddrel.core.diagnostics import RulebookError
from caddrel.core.facts.values import show_moment
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.printer import print_item
from caddrel.core.replay.breakdown import breakdown_json
from caddrel.core.replay.needs import Needs, needs
from caddrel.core.replay.tally import Hit, Tally, changed_json, tally_json
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.replays import replay_words
from caddrel.service.problems import ServiceError
from caddrel.service.replay.log_replay import LogReplay
from caddrel.service.replay.sides import Under
from caddrel.service.replay.steps import far, step
from caddrel.service.rulebooks.publish import read_files
from caddrel.service.rulebooks.view import pieces
from caddrel.service.signins.log_filter import log_query
from caddrel.service.state.context import State
from caddrel.store.queries import Query
from caddrel.wire import replays as wire
from caddrel.wire.decoding import convert
from caddrel.wire.rulebooks import Side

# So many people are told by name.
MOST_TOLD = 2_000


def query_of(state: State, since: str, until: str, where: str) -> Query:
    """Return which sign-ins are asked for.

    Raises
    ------
    ServiceError
        When it cannot be read.
    """
    asked = {"since": since, "until": until, "where": where}
    return log_query(state, {name: text for name, text in asked.items() if text.strip()}, 1)


def documents_of(state: State, side: Side) -> Sequence[tuple[str, str]]:
    """Return the documents of a rulebook that is named or given."""
    if side.files is not None:
        return [(file.name, file.text) for file in side.files]
    published = state.rulebooks.need_current() if side.revision is None else state.rulebooks.get(side.revision)
    return published.revision.files


def rulebook_of(state: State, side: Side) -> tuple[Rulebook, str]:
    """Return a rulebook that is named, or whose documents are given, with what it is called.

    Raises
    ------
    RulebookError
        When its documents have errors.
    """
    if side.files is not None:
        result = read_files(side.files)
        if result.rulebook is None:
            raise RulebookError(result.diagnostics)
        return result.rulebook, f"draft {side.draft}" if side.draft else "the documents given"
    published = state.rulebooks.need_current() if side.revision is None else state.rulebooks.get(side.revision)
    return published.rulebook, f"revision {published.revision.number}"


def check_inventory(request: wire.ReplayRequest) -> None:
    """Refuse a request for an inventory that is none."""
    if request.inventory not in {"then", "now"}:
        raise ServiceError(
            422, "bad-replay", f"`{request.inventory[:40]}` is no inventory to replay with", "then or now"
        )


def check_replay(state: State, request: wire.ReplayRequest) -> int:
    """Return how many sign-ins will be replayed, or refuse what cannot be.

    Raises
    ------
    RulebookError, ServiceError
        When a rulebook, or which sign-ins are asked for, cannot be read.
    """
    check_inventory(request)
    query = query_of(state, request.since, request.until, request.where)
    rulebook_of(state, request.under)
    if request.rulebook is not None:
        rulebook_of(state, request.rulebook)
    return sum(count for _, _, count in state.signins.per_day(query))


def size_of(*sides: Side | None) -> int:
    """Return how large the documents are that are given."""
    return sum(len(file.text) for side in sides if side is not None for file in side.files or ())


def replay_lines(state: State, request: wire.ReplayRequest) -> Iterator[bytes]:
    """Yield a line of JSON for each step: `done`, `changed`, and at last the `result`; an empty piece after a step."""
    check_inventory(request)
    now = request.inventory == "now"
    after, under = rulebook_of(state, request.under)
    before, against = (None, "what was recorded") if request.rulebook is None else rulebook_of(state, request.rulebook)
    query = query_of(state, request.since, request.until, request.where)
    steps: list[int] = []
    replay = LogReplay(state, query, Under(before, now) if before is not None else None, Under(after, now))
    for changed in replay.run(steps.append):
        yield from far(steps)
        yield step("changed", changed_json(changed))
    yield from far(steps)
    ends = [show_moment(end) if end is not None else "" for end in (query.since, query.until)]
    result = _result(
        state,
        replay,
        (before or after, after),
        {"under": under, "rulebook": against, "since": ends[0], "until": ends[1]},
    )
    yield step("result", result)


def _result(
    state: State, replay: LogReplay, rulebooks: tuple[Rulebook, Rulebook], of: Mapping[str, str]
) -> wire.ReplayResult:
    _, rulebook = rulebooks
    lacking = [fact for fact, _ in replay.lacking.most_common()]
    hits = _hits(replay, rulebook, state.inventories.current())
    # Who would be asked can give it where nothing of this is unknown: whoever could not is stopped.
    able = {person for person, facts in replay.last.items() if "person.factors" in facts.values}
    enrolling = {str(hit["person"]) for hit in hits if hit["enrol"]}
    by = breakdown_json(replay.by)
    told = {
        **tally_json(replay.tally),
        **of,
        "sentence": [msgspec.to_builtins(piece) for piece in pieces(replay_words(replay.tally, able, enrolling))],
        "lacking": lacking,
        "by": by,
        "titles": _titles(replay.tally, by, rulebooks, state.inventories.current()),
        "contact": rulebook.settings.contact,
        "hit": hits,
    }
    return convert(told, wire.ReplayResult)


def _titles(
    tally: Tally,
    by: Mapping[str, Sequence[Mapping[str, Any]]],
    rulebooks: tuple[Rulebook, Rulebook],
    inventory: Inventory,
) -> dict[str, dict[str, str]]:
    """Return what the policies, apps, groups and places are called that have a title, by what they are and their id."""
    places = {**rulebooks[0].places, **rulebooks[1].places}
    called: dict[str, Mapping[str, Any]] = {"app": inventory.apps, "group": inventory.groups, "place": places}
    found = {
        kind: {share["name"]: entries[share["name"]].title for share in by.get(kind, ()) if share["name"] in entries}
        for kind, entries in called.items()
    }
    policies = {**rulebooks[0].policies, **rulebooks[1].policies}
    causing = {ref.policy for _, ref in tally.because}
    found["policy"] = {id: policies[id].title for id in sorted(causing) if id in policies}
    return {kind: {id: title for id, title in titles.items() if title} for kind, titles in found.items()}


def _hits(replay: LogReplay, rulebook: Rulebook, inventory: Inventory) -> list[dict[str, object]]:
    most_first = sorted(replay.tally.people.items(), key=lambda each: (-sum(each[1].flows.values()), each[0]))
    return [
        _hit(person, hit, inventory, needs(rulebook, replay.last[person])) for person, hit in most_first[:MOST_TOLD]
    ]


def _hit(person: str, hit: Hit, inventory: Inventory, needed: Needs) -> dict[str, object]:
    entry = inventory.people.get(person)
    factors = entry.facts.get("person.factors") if entry is not None else None
    because = sorted(hit.because.items(), key=lambda each: (-each[1], each[0].policy, each[0].rule))
    fixes = list(needed.fixes)
    asked, missing = ([print_item(item) for item in some] for some in (needed.asked, needed.missing))
    return {
        "person": person,
        "title": (entry.title if entry is not None else "") or person,
        "flows": [{"from": pair[0], "to": pair[1], "count": count} for pair, count in sorted(hit.flows.items())],
        "last": show_moment(moment_of(hit.last)),
        "devices": sorted(hit.devices),
        "because": [{"policy": ref.policy, "rule": ref.rule} for ref, _ in because],
        "factors": sorted(factors) if isinstance(factors, frozenset) else None,
        "asked": asked,
        "missing": missing,
        "enrol": [list(way) for way in needed.enrol],
        "fixes": fixes,
        "needs": _in_words(fixes, needed.enrol, asked, missing),
    }


def _in_words(
    fixes: Sequence[str], enrol: Sequence[Sequence[str]], asked: Sequence[str], missing: Sequence[str]
) -> list[str]:
    found = list(fixes)
    if enrol:
        found.append(f"Enrol {', or '.join(' with '.join(way) for way in enrol)}.")
    if asked:
        found.append(f"Be ready to give {', '.join(asked)}.")
    if not found and missing:
        found.append(f"Needs {', '.join(missing)}.")
    return found
