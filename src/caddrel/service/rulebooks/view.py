"""A rulebook as readers want it: policies as sentences, parts with what they are made of and where they are used."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from caddrel.core.diagnostics import Diagnostic
from caddrel.core.facts.catalogue import FactSpec
from caddrel.core.facts.values import show, show_duration
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.printer import print_condition, print_effect
from caddrel.core.rulebook.model import Keep, PlaceParts, Policy, Rule, Rulebook
from caddrel.core.rulebook.references import Ref, Users, policy_refs, where_used
from caddrel.core.words.cases import label_words
from caddrel.core.words.pieces import pieces_json
from caddrel.core.words.policies import policy_words, rule_words, scope_words
from caddrel.service.problems import diagnostic
from caddrel.service.rulebooks.publish import info
from caddrel.service.state.context import State
from caddrel.service.state.rulebook_cache import Published
from caddrel.wire import rulebooks as wire
from caddrel.wire.decisions import Piece

# Documents by name, each line by line.
Lines = Mapping[str, Sequence[str]]

SECTIONS = {
    "place": "places",
    "standard": "standards",
    "schedule": "schedules",
    "proof": "proofs",
    "notice": "notices",
    "signal": "signals",
    "policy": "policies",
    "guarantee": "guarantees",
}
_DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


class LastView:
    """The view of the revision that was looked at last, kept for as long as nothing that it is made of changes."""

    def __init__(self, state: State) -> None:
        self._state = state
        self._last: tuple[tuple[int, int], Inventory, wire.RulebookView] | None = None

    def of(self, number: int, current: int, make: Callable[[], wire.RulebookView]) -> wire.RulebookView:
        """Return the view of a revision, which depends on the current one too; made unless it is cached."""
        key, inventory = (number, current), self._state.inventories.current()
        last = self._last
        if last is None or last[0] != key or last[1] is not inventory:
            last = self._last = (key, inventory, make())
        return last[2]


def pieces(sentence: Any) -> list[Piece]:
    """Return a sentence as it travels."""
    return [Piece(**piece) for piece in pieces_json(sentence)]


def view(
    published: Published, rulebook: Rulebook, current: int | None, findings: Iterable[Diagnostic]
) -> wire.RulebookView:
    """Return a whole rulebook, readable; `rulebook` is the published one with titles for its apps."""
    files = lines_of(published.revision.files)
    return wire.RulebookView(
        info(published.revision, current),
        _settings(rulebook),
        [policy_view(policy, rulebook, files) for policy in rulebook.policies.values()],
        list(part_views(rulebook, where_used(rulebook))),
        [diagnostic(d) for d in (*published.diagnostics, *findings)],
    )


def _settings(rulebook: Rulebook) -> wire.SettingsView:
    settings = rulebook.settings
    return wire.SettingsView(
        settings.stance,
        settings.contact,
        [selector.text for selector in settings.keyholders],
        {name: show(value, rulebook.catalogue[name]) for name, value in settings.assume.items()},
        [app.id for app in rulebook.apps.values() if app.stance == "closed"],
    )


def use(ref: Ref, rulebook: Rulebook) -> wire.Use:
    """Return an object as one that uses another."""
    part = getattr(rulebook, SECTIONS[ref.kind]).get(ref.id)
    return wire.Use(ref.kind, ref.id, (part.title if part else "") or ref.id)


def policy_view(policy: Policy, rulebook: Rulebook, files: Lines) -> wire.PolicyView:
    """Return one policy, readable."""
    scope = policy.scope
    active = {}
    if scope.active is not None:
        bounds = {"from": scope.active.start, "until": scope.active.end}
        active = {name: at.isoformat() for name, at in bounds.items() if at is not None}
    return wire.PolicyView(
        id=policy.id,
        title=policy.title or policy.id,
        why=policy.why,
        note=policy.note,
        owner=policy.owner,
        mode=policy.mode,
        labels=list(policy.labels),
        contact=policy.contact or rulebook.settings.contact,
        people=[s.text for s in scope.people],
        except_people=[s.text for s in scope.except_people],
        apps=[s.text for s in scope.apps],
        except_apps=[s.text for s in scope.except_apps],
        operations=list(scope.operations),
        active=active,
        sentence=pieces(policy_words(policy, rulebook)),
        scope=pieces(scope_words(scope, rulebook)),
        rules=[_rule(rule, rulebook) for rule in policy.rules],
        parts=[use(ref, rulebook) for ref in policy_refs(policy)],
        source=object_source(rulebook, files, f"policies.{policy.id}"),
    )


def fact_view(spec: FactSpec, choices: Iterable[wire.FactChoice] = ()) -> wire.FactView:
    """Return a fact of the catalogue as it travels, with the parts of a rulebook that it can name."""
    return wire.FactView(spec.name, spec.type.value, spec.doc, list(spec.words), label_words(spec.name), list(choices))


def lines_of(files: Iterable[tuple[str, str]]) -> Lines:
    """Return documents line by line, by their names."""
    return {name: text.splitlines() for name, text in files}


def object_source(rulebook: Rulebook, files: Lines, path: str) -> str:
    """Return an object as it stands in its document; `path` is such as ``places.terminals``."""
    span = rulebook.spans.get(path)
    lines = files.get(span.file) if span is not None else None
    return _source(lines, span.line) if span is not None and lines else ""


def _rule(rule: Rule, rulebook: Rulebook) -> wire.RuleView:
    return wire.RuleView(
        rule.id,
        rule.title,
        print_condition(rule.when) if rule.when is not None else "",
        print_effect(rule.effect),
        pieces(rule_words(rule, rulebook)),
        rule.tell,
        rule.link,
        _keep(rule.keep),
    )


def _keep(keep: Keep | None) -> dict[str, int | bool]:
    names = ("session_at_most", "idle_at_most", "end_with_browser")
    return {name: getattr(keep, name) for name in names if keep is not None and getattr(keep, name) is not None}


def _source(lines: Sequence[str], line: int) -> str:
    """Return the lines of an object: from its key to the next line that is indented no further."""
    first = lines[line - 1]
    indent = len(first) - len(first.lstrip())
    found = [first]
    for following in lines[line:]:
        if following.strip() and len(following) - len(following.lstrip()) <= indent:
            break
        found.append(following)
    while found and (not found[-1].strip()):
        found.pop()
    return "\n".join(found_line[indent:] for found_line in found)


def part_views(rulebook: Rulebook, users: Users) -> Iterable[wire.PartView]:
    """Yield every named part of a rulebook in words, with the places that use it."""
    for kind, section in SECTIONS.items():
        if kind in {"policy", "guarantee"}:
            continue
        for part in getattr(rulebook, section).values():
            used = [use(ref, rulebook) for ref in users.get(Ref(kind, part.id), [])]
            lines = list(_LINES[kind](part, rulebook))
            yield wire.PartView(kind, part.id, part.title or part.id, part.note, lines, used)


def _place_lines(place: Any, _rulebook: Rulebook) -> Iterable[wire.PartLine]:
    def lines(parts: PlaceParts, note: str) -> Iterable[wire.PartLine]:
        for label in ("networks", "lists", "countries", "anonymisers", "asns", "places"):
            for value in getattr(parts, label):
                yield wire.PartLine(label, str(value), note)

    yield from lines(place.parts, "")
    yield from lines(place.without, "left out")


def _standard_lines(standard: Any, _rulebook: Rulebook) -> Iterable[wire.PartLine]:
    for check in standard.checks:
        yield wire.PartLine(check.title or check.id, print_condition(check.must), check.fix)


def _schedule_lines(schedule: Any, _rulebook: Rulebook) -> Iterable[wire.PartLine]:
    yield wire.PartLine("zone", schedule.zone.key)
    for day, windows in zip(_DAYS, schedule.week, strict=True):
        yield wire.PartLine(day, ", ".join(str(w) for w in windows) or "closed")
    for day in sorted(schedule.closed):
        yield wire.PartLine(day.isoformat(), "closed", "exception")
    for day, windows in sorted(schedule.open.items()):
        yield wire.PartLine(day.isoformat(), ", ".join(str(w) for w in windows) or "closed", "exception")


def _proof_lines(proof: Any, _rulebook: Rulebook) -> Iterable[wire.PartLine]:
    for combination in proof.any_of:
        yield wire.PartLine("any of", " + ".join(sorted(combination)))


def _notice_lines(notice: Any, _rulebook: Rulebook) -> Iterable[wire.PartLine]:
    yield wire.PartLine("version", str(notice.version))
    yield wire.PartLine("text", notice.text)


def _signal_lines(signal: Any, _rulebook: Rulebook) -> Iterable[wire.PartLine]:
    yield wire.PartLine("kind", signal.kind)
    for name, value in signal.settings.items():
        timed = name in {"within", "not_older_than"}
        yield wire.PartLine(name, show_duration(value) if timed else str(value))


_LINES = {
    "place": _place_lines,
    "standard": _standard_lines,
    "schedule": _schedule_lines,
    "proof": _proof_lines,
    "notice": _notice_lines,
    "signal": _signal_lines,
}
