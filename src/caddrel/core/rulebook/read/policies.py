"""Reading policies and their rules."""

from __future__ import annotations

import re
from urllib.parse import urlsplit

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.values import ValueRefused
from caddrel.core.language.formulas import Effect
from caddrel.core.rulebook.ids import ID
from caddrel.core.rulebook.model import ALWAYS, MODES, Keep, Policy, Rule
from caddrel.core.rulebook.read.fields import Fields, Reading, section_objects
from caddrel.core.rulebook.read.selectors import SCOPE_KEYS, read_scope
from caddrel.core.rulebook.source import Mapping, Node, Scalar, Sequence, span_of, span_within

LONGEST_TELL = 500
MOST_RULES = 200
PLACEHOLDERS = ("contact", "app", "fixes", "reference")
_BRACES = re.compile(r"\{([^{}]*)\}")

_POLICY_KEYS = ("why", "owner", "mode", "labels", "contact", "active", *SCOPE_KEYS, "rules")
_RULE_KEYS = ("id", "when", "then", "tell", "link", "keep")


def read_policies(reading: Reading, document: Mapping) -> dict[str, Policy]:
    """Return the policies in document order."""
    found = {}
    for name, node, path in section_objects(reading, document, "policies", "policy"):
        fields = Fields(reading, node, path, _POLICY_KEYS, "policy")
        found[name] = Policy(
            id=name,
            title=fields.text("title", longest=200),
            note=fields.text("note"),
            why=fields.text("why"),
            owner=fields.text("owner", longest=200),
            mode=fields.choice("mode", MODES, "shadow"),
            labels=fields.list("labels", _label),
            contact=fields.text("contact", longest=200),
            scope=read_scope(fields),
            rules=_rules(fields),
        )
    return found


def _label(text: str) -> str:
    if ID.fullmatch(text) is None:
        raise ValueRefused(f"`{shorten(text)}`", "a label such as passenger-data")
    return text


def _rules(fields: Fields) -> tuple[Rule, ...]:
    reading = fields.reading
    node = fields.need("rules", "such as rules: [{then: require mfa}]")
    if node is None:
        return ()
    if isinstance(node, Sequence) and not node.items:
        message = "a policy without rules never has an opinion"
        reading.say(node, fields.at("rules"), "no-rules", message, "add a rule, or set `mode: off`", (), "warning")
    items = reading.items(node, fields.at("rules"))
    if len(items) > MOST_RULES:
        reading.say(node, fields.at("rules"), "too-many-rules", f"a policy may have {MOST_RULES} rules at most")
        items = items[:MOST_RULES]
    rules: list[Rule] = []
    used: set[str] = set()
    for index, (item, path) in enumerate(items):
        rule = _rule(reading, item, path, index)
        if rule.id in used:
            hint = "ids of rules are unique within their policy; r1, r2 … are taken by place"
            reading.say(item, path, "duplicate-id", f"the rule id `{rule.id}` is used twice", hint)
        used.add(rule.id)
        rules.append(rule)
    return tuple(rules)


def _rule(reading: Reading, node: Node, path: str, index: int) -> Rule:
    fields = Fields(reading, node, path, _RULE_KEYS, "rule")
    name = f"r{index + 1}"
    id_node = fields.values.get("id")
    if isinstance(id_node, Scalar):
        if reading.id_ok(id_node, f"{path}.id", "rule"):
            name = id_node.text
    elif id_node is not None:
        reading.text(id_node, f"{path}.id")
    when_node = fields.values.get("when")
    # A condition that cannot be read is reported; the tree that stands in for it is never evaluated.
    when = None if when_node is None else reading.condition(when_node, f"{path}.when") or ALWAYS
    then = fields.need("then", "one of allow, block, abstain, require …")
    effect = None if then is None else reading.effect(then, f"{path}.then")
    _check_tell(fields)
    reading.spans[path] = span_of(node)
    return Rule(
        id=name,
        index=index,
        when=when,
        effect=effect or Effect("abstain"),
        title=fields.text("title", longest=200),
        note=fields.text("note"),
        tell=fields.text("tell", longest=LONGEST_TELL),
        link=fields.parsed("link", _link) or "",
        keep=_keep(fields),
    )


def _check_tell(fields: Fields) -> None:
    node = fields.values.get("tell")
    if not isinstance(node, Scalar):
        return
    for match in _BRACES.finditer(node.text):
        if match[1] not in PLACEHOLDERS:
            shown = ", ".join(f"{{{name}}}" for name in PLACEHOLDERS)
            reading = fields.reading
            before = len(reading.problems)
            reading.say(
                node,
                fields.at("tell"),
                "unknown-placeholder",
                f"`{shorten(match[0])}` is not a placeholder",
                f"there are {shown}",
                PLACEHOLDERS,
            )
            placed = reading.problems[before]
            reading.problems[before] = placed.within(span_within(node, *match.span()), placed.path)


def _link(text: str) -> str:
    try:
        parts = urlsplit(text)
        good = parts.scheme == "https" and bool(parts.hostname) and text.isprintable() and " " not in text
    except ValueError:
        good = False
    if not good or len(text) > 1000:
        raise ValueRefused(f'"{shorten(text)}"', "an https address")
    return text


def _keep(fields: Fields) -> Keep | None:
    node = fields.values.get("keep")
    if node is None:
        return None
    known = ("session_at_most", "idle_at_most", "end_with_browser")
    keep = Fields(fields.reading, node, fields.at("keep"), known, "`keep`")
    limits = Keep(keep.duration("session_at_most"), keep.duration("idle_at_most"), keep.flag("end_with_browser"))
    for key in ("session_at_most", "idle_at_most"):
        if getattr(limits, key) == 0:
            fields.reading.say(keep.values[key], keep.at(key), "wrong-value", "a limit of 0 would end at once")
    return limits
