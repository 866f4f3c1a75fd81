"""A rulebook with one change of another, and none of the rest: to tell what that one means by itself."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from caddrel.core.diagnostics import Diagnostic, RulebookError, did_you_mean, shorten
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.rulebook.model import Policy, Rule, Rulebook

# What policies refer to, and what there is one of each by its id.
_PARTS = ("places", "standards", "schedules", "proofs", "notices", "signals")
_SECTIONS = (*_PARTS, "policies", "apps")


def with_only(before: Rulebook, after: Rulebook, path: str) -> Rulebook:
    """Return a rulebook in which one object, or one rule, is as in another.

    Parts that only the other one has are there too: until something refers to them they change nothing.

    Parameters
    ----------
    path
        ``standards.crew-phone``, ``policies.abroad`` or ``policies.abroad/r2``; or ``settings``.

    Raises
    ------
    RulebookError
        When neither has it.
    """
    attributes = {**after.catalogue.attributes, **before.catalogue.attributes}
    parts: dict[str, Any] = {section: {**getattr(after, section), **getattr(before, section)} for section in _PARTS}
    base = replace(before, catalogue=Catalogue(attributes), **parts)
    if path == "settings":
        return replace(base, settings=after.settings)
    section, _, id = path.partition(".")
    id, _, rule = id.partition("/")
    if section not in _SECTIONS or (rule and section != "policies"):
        raise _nothing(path, [f"{each}." for each in _SECTIONS])
    old: Mapping[str, Any] = getattr(before, section)
    new: Mapping[str, Any] = getattr(after, section)
    if id not in old and id not in new:
        raise _nothing(path, [f"{section}.{each}" for each in {**old, **new}])
    changed = _with_rule(old.get(id), new.get(id), rule, path) if rule else new.get(id)
    kept = {name: each for name, each in getattr(base, section).items() if name != id}
    section_now: dict[str, Any] = {section: kept if changed is None else {**kept, id: changed}}
    return replace(base, **section_now)


def _with_rule(old: Policy | None, new: Policy | None, id: str, path: str) -> Policy | None:
    if old is None or new is None:
        # A rule of a policy that is new, or gone, is no change by itself.
        return new
    before, after = {rule.id: rule for rule in old.rules}, {rule.id: rule for rule in new.rules}
    if id not in before and id not in after:
        raise _nothing(path, [f"policies.{old.id}/{rule}" for rule in {**before, **after}])
    rules: list[Rule] = [rule for rule in old.rules if rule.id != id]
    if id in after:
        # It goes before the first of those that follow it there.
        behind = {rule.id for rule in new.rules if rule.index > after[id].index}
        same_place = before[id].index if id in before else len(rules)
        at = same_place if id in before else next((n for n, rule in enumerate(rules) if rule.id in behind), len(rules))
        rules.insert(at, after[id])
    return replace(old, rules=tuple(replace(rule, index=n) for n, rule in enumerate(rules)))


def _nothing(path: str, among: list[str]) -> RulebookError:
    hint = did_you_mean(path, among, "such as policies.abroad, policies.abroad/r2 or standards.crew-phone")
    return RulebookError([Diagnostic("bad-path", f"`{shorten(path)}` is nothing that either of them has", hint)])
