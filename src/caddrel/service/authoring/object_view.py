"""Looking at one object of a draft: its values, its words, what is wrong with it, whom it covers, what uses it."""

from __future__ import annotations

from caddrel.core.decide.combine import default_text, tell_of
from caddrel.core.language.nodes import Passes, items_of, tests_of
from caddrel.core.rulebook.edit.objects import Path, read_path
from caddrel.core.rulebook.edit.values import value_of
from caddrel.core.rulebook.model import ALWAYS, Policy, Rule, Rulebook, Scope
from caddrel.core.rulebook.references import Ref
from caddrel.core.words.conditions import app_title
from caddrel.core.words.guarantees import guarantee_words
from caddrel.core.words.policies import policy_words, rule_words
from caddrel.service.authoring import part_status
from caddrel.service.authoring.object_reader import parts_of, problems_of, read_alone
from caddrel.service.authoring.scope_members import Covering
from caddrel.service.problems import ServiceError, diagnostic, not_found
from caddrel.service.rulebooks import drafts as drafting
from caddrel.service.rulebooks.view import SECTIONS, pieces, use
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.titles import titled
from caddrel.wire import authoring as wire
from caddrel.wire.decisions import Piece
from caddrel.wire.rulebooks import Use

KINDS = {section: kind for kind, section in SECTIONS.items()}
EXAMPLE_REFERENCE = "00000-00000"


def look(data: DataFolder, covering: Covering, name: str, text: str) -> wire.ObjectView:
    """Return one object of a draft with all that an editor shows beside it."""
    draft = drafting.need(data, name)
    path = read_path(text)
    objects = drafting.objects_in(data, name)
    there = objects.get(path)
    before = drafting.objects_at(data, draft.base).get(path, "")
    if there is None and not before:
        raise not_found(f"object `{text[:80]}` in this draft", f"see caddrel draft show {name} --json")
    result = read_alone(data.drafted, objects, path)
    rulebook = titled(result.rulebook, data.inventories.current()) if result.rulebook is not None else None
    policy = rulebook.policies.get(path[1]) if rulebook is not None and path[0] == "policies" else None
    scope = _scope(rulebook, path)
    covers = None
    if rulebook is not None and scope is not None:
        covers = wire.Covered(*(len(covering.of(rulebook, scope, side)) for side in ("people", "apps")))
    return wire.ObjectView(
        text,
        there or "",
        None if there is None else value_of(there),
        before,
        (there or "") != before,
        draft.version,
        _words(rulebook, path),
        [pieces(rule_words(rule, rulebook)) for rule in policy.rules]
        if policy is not None and rulebook is not None
        else [],
        [diagnostic(problem) for problem in problems_of(result, path)],
        _told(covering, policy, rulebook) if policy is not None and rulebook is not None else [],
        _used_by(data, name, path),
        covers,
        part_status.standing(data, covering, rulebook, path[0], path[1])
        if rulebook is not None and len(path) > 1 and there
        else None,
    )


def covered(
    data: DataFolder, covering: Covering, name: str, text: str, side: str, after: str, limit: int
) -> wire.CoveredPage:
    """Return whom or what an object's scope covers, a page at a time."""
    path = read_path(text)
    rulebook = read_alone(data.drafted, drafting.objects_in(data, name), path).rulebook
    scope = _scope(rulebook, path)
    if rulebook is None or scope is None or side not in {"people", "apps"}:
        raise not_found("scope of that object", "ask for `side` people or apps of a policy without errors")
    ids = covering.of(rulebook, scope, side)
    entries = getattr(data.inventories.current(), side)
    found = [id for id in ids if id > after][: limit + 1]
    items = [
        wire.Named(id, entries[id].title if id in entries else "", "" if ids[id] else "not known for certain")
        for id in found[:limit]
    ]
    return wire.CoveredPage(len(ids), items, found[limit - 1] if len(found) > limit else None)


def address(data: DataFolder, name: str, text: str, asked: str) -> wire.Standing:
    """Return whether an address is in a place of a draft."""
    path = read_path(text)
    rulebook = parts_of(data.drafted, drafting.objects_in(data, name))
    if rulebook is None:
        raise ServiceError(422, "bad-rulebook", "a part of this draft cannot be read", "mend what checking finds")
    return part_status.holds_address(data, rulebook, path[-1], asked)


def _words(rulebook: Rulebook | None, path: Path) -> list[Piece]:
    """Return the sentence of a policy or a guarantee; none of anything else."""
    if rulebook is None or len(path) == 1:
        return []
    policy, guarantee = rulebook.policies.get(path[1]), rulebook.guarantees.get(path[1])
    if path[0] == "policies" and policy is not None:
        return pieces(policy_words(policy, rulebook))
    if path[0] == "guarantees" and guarantee is not None:
        return pieces(guarantee_words(guarantee, rulebook))
    return []


def _scope(rulebook: Rulebook | None, path: Path) -> Scope | None:
    if rulebook is None or path[0] not in {"policies", "guarantees"}:
        return None
    found: Policy | None = getattr(rulebook, path[0]).get(path[1])
    return found.scope if found is not None else None


def _used_by(data: DataFolder, name: str, path: Path) -> list[Use]:
    """Return what names a part: in the draft, or while that cannot be read in the revision that it was begun on."""
    kind = KINDS.get(path[0])
    if kind is None or kind in {"policy", "guarantee"}:
        return []
    base = drafting.need(data, name).base
    rulebook = drafting.read(data, name)
    if rulebook is None:
        if base == drafting.NOTHING:
            return []
        rulebook = data.rulebooks.get(base).rulebook
    return [use(ref, rulebook) for ref in data.drafted.users(rulebook).get(Ref(kind, path[1]), [])]


def _told(covering: Covering, policy: Policy, rulebook: Rulebook) -> list[wire.ToldText]:
    """Return what the door shows rule by rule, as to somebody who fails every check that a rule names."""
    apps = covering.of(rulebook, policy.scope, "apps")
    app = app_title(rulebook, next(iter(apps))) if apps else "this app"
    found = []
    for rule in policy.rules:
        outcome = {"block": "blocked", "require": "challenged"}.get(rule.effect.kind, "")
        if not outcome:
            continue
        if rule.tell:
            tell = tell_of(policy, rule, rulebook.settings, app, EXAMPLE_REFERENCE, _fixes(rule, rulebook))
            found.append(wire.ToldText(rule.id, outcome, tell.text, tell.link))
        else:
            contact = rulebook.settings.contact
            found.append(wire.ToldText(rule.id, outcome, default_text(outcome, app, contact), None))
    return found


def _fixes(rule: Rule, rulebook: Rulebook) -> str:
    named = [test.standard.text for test in tests_of(rule.when or ALWAYS) if isinstance(test, Passes)]
    if rule.effect.formula is not None:
        named += [item.name for item in items_of(rule.effect.formula) if item.kind == "device passes"]
    checks = [check for name in dict.fromkeys(named) for check in rulebook.standards[name].checks]
    return " ".join(dict.fromkeys(check.fix for check in checks if check.fix))
