"""Reading the lists of people and apps that policies, guarantees and password standards speak about.

Each selector is the obvious condition, so that a scope is a condition too.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from caddrel.core.diagnostics import nearest, shorten
from caddrel.core.facts.catalogue import KINDS, OPERATIONS
from caddrel.core.facts.values import ValueRefused, read_path
from caddrel.core.language.nodes import Condition, FactTest, Operand
from caddrel.core.language.operators import Op
from caddrel.core.language.printer import print_condition
from caddrel.core.rulebook.model import ALWAYS, ActiveWindow, Scope, Selector, SelectorKind
from caddrel.core.rulebook.read.fields import Fields, Reading, one_of
from caddrel.core.rulebook.source import Mapping, Node, Scalar

SCOPE_KEYS = ("people", "except_people", "apps", "except_apps", "operations")

_PEOPLE: dict[SelectorKind, tuple[str, Op]] = {
    "group": ("person.groups", Op.HAS),
    "role": ("person.roles", Op.HAS),
    "person": ("person.id", Op.IS),
    "kind": ("person.kind", Op.IS),
    "unit": ("person.unit", Op.UNDER),
}
_APPS: dict[SelectorKind, tuple[str, Op]] = {"app": ("app.id", Op.IS), "label": ("app.labels", Op.HAS)}
EVERYONE = Selector("everyone", "everyone", "", ALWAYS)
EVERY_APP = Selector("every-app", "every-app", "", ALWAYS)


def _simple(text: str, kind: SelectorKind, name: str, table: dict[SelectorKind, tuple[str, Op]]) -> Selector:
    fact, op = table[kind]
    value: str = name
    if kind == "kind":
        one_of(name, KINDS)
    if kind == "unit":
        value = read_path(name)
    condition: Condition = FactTest(fact, op, (Operand(name, value=value),))
    return Selector(text, kind, value, condition)


# What stands for everybody elsewhere, and a name without what it is one of.
_ALL = {"all", "any", "anyone", "anybody", "everybody", "all-users", "users", "*"}
_BARE = re.compile(r"[A-Za-z0-9][\w.@-]*")


def person_selector(text: str) -> Selector:
    """Return the selector of people that a text such as ``group:deck-crew`` stands for."""
    if text == "everyone":
        return EVERYONE
    written, colon, name = text.partition(":")
    kind = next((known for known in _PEOPLE if known == written), None)
    if not colon or kind is None or not name:
        forms = ("everyone", *(f"{k}:…" for k in _PEOPLE))
        close = nearest(written, _PEOPLE)
        expected = f"people; write one of {', '.join(forms)}"
        if colon and close and name:
            expected = f"people; did you mean `{close}:{name}`?"
        elif text.lower() in _ALL:
            expected = "people; did you mean `everyone`?"
        elif not colon and (known := next((each for each in KINDS if each in (text, text.removesuffix("s"))), None)):
            expected = f"people; did you mean `kind:{known}`?"
        elif not colon and _BARE.fullmatch(text):
            expected = f"people; did you mean `{'person' if '.' in text or '@' in text else 'group'}:{text}`?"
        raise ValueRefused(f"`{shorten(text)}`", expected)
    return _simple(text, kind, name, _PEOPLE)


def app_selector(text: str) -> Selector:
    """Return the selector of apps that a text such as ``manifest`` or ``label:money`` stands for."""
    if text == "every-app":
        return EVERY_APP
    written, colon, name = text.partition(":")
    if not colon:
        return _simple(text, "app", text, _APPS)
    kind = next((known for known in _APPS if known == written), None)
    if kind is None or not name:
        close = nearest(written, _APPS)
        hint = f"; did you mean `{close}:{name}`?" if close and name else "; write every-app, an id or label:…"
        raise ValueRefused(f"`{shorten(text)}`", f"apps{hint}")
    return _simple(text, kind, name, _APPS)


def read_selectors(fields: Fields, key: str, otherwise: tuple[Selector, ...]) -> tuple[Selector, ...]:
    """Return the selectors of a field; `otherwise` when it is left out."""
    node = fields.values.get(key)
    if node is None:
        return otherwise
    reading = fields.reading
    people = key.endswith("people") or key == "keyholders"
    parse = person_selector if people else app_selector
    found = []
    for item, path in reading.items(node, fields.at(key)):
        if isinstance(item, Mapping):
            selector = _where(reading, item, path, "person." if people else "app.")
        else:
            selector = _named(reading, item, path, parse)
        if selector is not None:
            found.append(selector)
    if not found and otherwise and not getattr(node, "items", [None]):
        reading.say(
            node, fields.at(key), "selects-nothing", f"an empty `{key}` selects nothing", "leave it out", (), "warning"
        )
    return tuple(found)


def _named(reading: Reading, item: Node, path: str, parse: Callable[[str], Selector]) -> Selector | None:
    """Return the selector of a text; where it was met before, the very same."""
    if not isinstance(item, Scalar):
        return reading.parsed(item, path, parse)
    key = parse is person_selector, item.text
    selector = reading.selectors.get(key) or reading.parsed(item, path, parse)
    if selector is not None:
        reading.selectors[key] = selector
    return selector


def _where(reading: Reading, item: Node, path: str, only: str) -> Selector | None:
    fields = Fields(reading, item, path, ("where",), "selector")
    node = fields.need("where")
    tree = None if node is None else reading.condition(node, f"{path}.where", only)
    if tree is None:
        return None
    return Selector(f"where {print_condition(tree)}", "where", "", tree)


def read_scope(fields: Fields) -> Scope:
    """Return the scope that the fields of a policy or guarantee describe."""
    operations = fields.list("operations", lambda text: one_of(text, OPERATIONS))
    if "operations" in fields.values and not operations:
        node = fields.values["operations"]
        if not getattr(node, "items", [None]):
            fields.reading.say(
                node,
                fields.at("operations"),
                "selects-nothing",
                "an empty `operations` selects nothing",
                "leave it out",
                (),
                "warning",
            )
    elif not operations:
        operations = ("sign-in",)
    return Scope(
        read_selectors(fields, "people", (EVERYONE,)),
        read_selectors(fields, "except_people", ()),
        read_selectors(fields, "apps", (EVERY_APP,)),
        read_selectors(fields, "except_apps", ()),
        operations,
        _active(fields),
    )


def _active(fields: Fields) -> ActiveWindow | None:
    node = fields.values.get("active")
    if node is None:
        return None
    window = Fields(fields.reading, node, fields.at("active"), ("from", "until"), "time window")
    start, end = window.moment("from"), window.moment("until")
    if isinstance(node, Mapping) and not window.values:
        fields.reading.say(node, window.path, "missing-key", "this time window has neither `from` nor `until`")
    if start and end and end <= start:
        fields.reading.say(node, window.path, "empty-window", "`until` is not after `from`", "swap the two")
    return ActiveWindow(start, end)
