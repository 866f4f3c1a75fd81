"""Reading attributes, apps, device standards, proofs and notices."""

from __future__ import annotations

from functools import cache
from typing import Any
from zoneinfo import available_timezones

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.catalogue import (
    ATTRIBUTE_NAME,
    ATTRIBUTE_TYPES,
    METHODS,
    Catalogue,
    FactSpec,
    attribute_spec,
)
from caddrel.core.facts.types import FactType
from caddrel.core.facts.values import ValueRefused
from caddrel.core.language.nodes import And
from caddrel.core.rulebook.model import (
    STANCES,
    AppEntry,
    Check,
    Notice,
    Proof,
    Standard,
)
from caddrel.core.rulebook.read.fields import Fields, Reading, one_of, section_objects
from caddrel.core.rulebook.read.places import refuse_circles
from caddrel.core.rulebook.source import Mapping, Node, Sequence, span_of


def read_attributes(reading: Reading, document: Mapping) -> Catalogue:
    """Return the catalogue with the facts that the rulebook declares."""
    node = document.get("attributes")
    specs: dict[str, FactSpec] = {}
    if node is None:
        return Catalogue()
    if not isinstance(node, Mapping):
        reading.say(node, "attributes", "wrong-type", "`attributes` maps fact names to types")
        return Catalogue()
    types = {t.value: t for t in ATTRIBUTE_TYPES}
    for entry in node.entries:
        name, path = entry.key.text, f"attributes.{shorten(entry.key.text)}"
        reading.spans[f"attributes.{name}"] = span_of(entry.key)
        if ATTRIBUTE_NAME.fullmatch(name) is None:
            hint = "such as person.attributes.clearance, device.attributes.… or app.attributes.…"
            reading.say(entry.key, path, "bad-attribute", f"`{shorten(name)}` is not the name of an attribute", hint)
            continue
        kind = reading.parsed(entry.value, path, lambda text: one_of(text, tuple(types)))
        # A known name with a wrong type still counts as declared: one mistake, one finding.
        specs[name] = attribute_spec(name, types[kind] if kind else FactType.TEXT)
    return Catalogue(specs)


def read_apps(reading: Reading, document: Mapping) -> dict[str, AppEntry]:
    """Return what the rulebook says about apps."""
    found = {}
    for name, node, path in section_objects(reading, document, "apps", "app"):
        fields = Fields(reading, node, path, ("stance",), "app")
        stance = fields.choice("stance", STANCES, "") or None
        found[name] = AppEntry(name, fields.text("title"), fields.text("note"), stance)
    return found


def read_standards(reading: Reading, document: Mapping) -> dict[str, Standard]:
    """Return the device standards; one without checks, or in a circle, is refused."""
    from caddrel.core.language.nodes import Passes, tests_of

    found, refs, nodes = {}, {}, {}
    for name, node, path in section_objects(reading, document, "standards", "standard"):
        fields = Fields(reading, node, path, ("checks",), "standard")
        checks_node = fields.need("checks", "at least one check, with `must` and `fix`")
        checks = _checks(reading, checks_node, f"{path}.checks") if checks_node is not None else []
        found[name] = Standard(name, fields.text("title"), fields.text("note"), tuple(checks))
        refs[name] = tuple(
            test.standard.text for check in checks for test in tests_of(check.must) if isinstance(test, Passes)
        )
        nodes[name] = node
    refuse_circles(reading, refs, nodes, "standards", "standard", "asks for")
    return found


def _checks(reading: Reading, node: Node, path: str) -> list[Check]:
    if not isinstance(node, Mapping) or not node.entries:
        message = "`checks` maps ids to a check each, at least one"
        reading.say(node, path, "wrong-type", message, "such as encrypted: {must: device.encrypted}")
        return []
    found = []
    for entry in node.entries:
        check_path = f"{path}.{shorten(entry.key.text)}"
        if not reading.id_ok(entry.key, check_path, "check"):
            continue
        fields = Fields(reading, entry.value, check_path, ("must", "fix"), "check")
        must = fields.need("must", "the condition that must hold")
        tree = reading.condition(must, f"{check_path}.must") if must is not None else None
        found.append(Check(entry.key.text, tree or And(()), fields.text("title"), fields.text("fix", longest=500)))
    return found


@cache
def _zones() -> frozenset[str]:
    # Looking through all the files takes tens of milliseconds; what is installed stays while the process runs.
    return frozenset(available_timezones())


def _method(text: str) -> str:
    if text not in METHODS:
        raise ValueRefused(f'"{shorten(text)}"', "a method name of RFC 8176 such as otp or hwk", METHODS)
    return text


def read_proofs(reading: Reading, document: Mapping) -> dict[str, Proof]:
    """Return the proofs; one that any sign-in would meet is refused."""
    found = {}
    for name, node, path in section_objects(reading, document, "proofs", "proof"):
        fields = Fields(reading, node, path, ("any_of",), "proof")
        any_of = fields.need("any_of", "such as any_of: [[hwk], [swk, fpt]]")
        combinations = []
        for item, at in reading.items(any_of, f"{path}.any_of") if any_of is not None else ():
            if isinstance(item, Sequence) and not item.items:
                reading.say(item, at, "empty-proof", "an empty combination would be met by anybody")
            methods = [reading.parsed(m, p, _method) for m, p in reading.items(item, at)]
            combinations.append(frozenset(m for m in methods if m is not None))
        if isinstance(any_of, Sequence) and not any_of.items:
            reading.say(any_of, f"{path}.any_of", "empty-proof", f"the proof `{name}` has no combination")
        found[name] = Proof(name, fields.text("title"), fields.text("note"), tuple(combinations))
    return found


def whole_number(lowest: int, highest: int) -> Any:
    """Return a reader of whole numbers within bounds."""

    def parse(text: str) -> int:
        if not (text.isascii() and text.isdigit() and len(text) < 12 and lowest <= int(text) <= highest):
            raise ValueRefused(f'"{shorten(text)}"', f"a whole number from {lowest} to {highest}")
        return int(text)

    return parse


def read_notices(reading: Reading, document: Mapping) -> dict[str, Notice]:
    """Return the notices."""
    found = {}
    for name, node, path in section_objects(reading, document, "notices", "notice"):
        fields = Fields(reading, node, path, ("version", "text"), "notice")
        fields.need("text", "the text that people accept")
        version = fields.parsed("version", whole_number(1, 10**9)) if "version" in fields.values else 1
        text = fields.text("text", longest=20_000)
        found[name] = Notice(name, fields.text("title"), fields.text("note"), version or 1, text)
    return found
