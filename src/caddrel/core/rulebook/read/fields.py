"""Taking typed fields out of a source tree, with a diagnostic for each that is not right.

Not here: which fields the objects of a rulebook have (the `read_*` modules).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import datetime
from typing import TypeVar

from caddrel.core.diagnostics import Diagnostic, Span, did_you_mean, shorten
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.values import ValueRefused, read_duration, read_flag, read_moment
from caddrel.core.language.checker import Scope as CheckScope
from caddrel.core.language.checker import check_condition, check_formula
from caddrel.core.language.formulas import Effect, parse_effect
from caddrel.core.language.nodes import Condition, FactTest, Operand, tests_of
from caddrel.core.language.parser import parse_condition
from caddrel.core.meant import meant
from caddrel.core.rulebook.ids import ID, LONGEST_ID, id_for
from caddrel.core.rulebook.model import Selector
from caddrel.core.rulebook.source import Mapping, Node, Scalar, Sequence, span_of, span_within

T = TypeVar("T")


# Facts whose values are names of the inventory, and of what each is one.
NAMED = {
    "person.groups": "group", "person.roles": "role", "person.id": "person", "app.id": "app", "app.labels": "label",
    "device.id": "device",
}  # fmt: skip


def operand_path(path: str, operand: Operand) -> str:
    """Return under what the place of a value in a condition is kept."""
    return f"{path}#{operand.extent.start}"


class Reading:
    """One reading of one rulebook: what is known so far, and what was found wrong."""

    def __init__(self) -> None:
        self.problems: list[Diagnostic] = []
        self.catalogue = Catalogue()
        self.ids: dict[str, list[str]] = {}
        self.spans: dict[str, Span] = {}
        # What a text came to: many policies say the same, and then hold the same tree. Nothing that a text means hangs
        # on where it stands.
        self._conditions: dict[tuple[str, str], tuple[Condition | None, list[Diagnostic]]] = {}
        self.selectors: dict[tuple[bool, str], Selector] = {}
        self._effects: dict[str, tuple[Effect | None, list[Diagnostic]]] = {}

    def say(
        self,
        node: Node,
        path: str,
        code: str,
        message: str,
        hint: str = "",
        expected: Iterable[str] = (),
        severity: str = "error",
    ) -> None:
        """Collect a finding at a node."""
        self.problems.append(
            Diagnostic(code, message, hint, tuple(expected), None, span_of(node), path, severity)  # type: ignore[arg-type]
        )

    def add(self, scalar: Scalar, path: str, found: Iterable[Diagnostic]) -> None:
        """Collect findings within the text of a scalar."""
        for problem in found:
            extent = problem.extent
            span = span_within(scalar, extent.start, extent.end) if extent else span_of(scalar)
            self.problems.append(problem.within(span, path))

    def check_scope(self, only: str = "") -> CheckScope:
        """Return what conditions may speak about."""
        return CheckScope(self.catalogue, self.ids, only)

    def condition(self, node: Node, path: str, only: str = "") -> Condition | None:
        """Return the checked condition that a scalar holds, or None."""
        text = self.text(node, path)
        if text is None or not isinstance(node, Scalar):
            return None
        known = self._conditions.get((text, only))
        if known is None:
            known = parse_condition(text)
            if known[0] is not None:
                known = check_condition(known[0], self.check_scope(only))
            self._conditions[text, only] = known
        tree, problems = known
        self.add(node, path, problems)
        if any(p.severity == "error" for p in problems) or tree is None:
            return None
        for test in tests_of(tree):
            # Where names stand that only the inventory can tell to be none.
            if isinstance(test, FactTest) and test.fact in NAMED:
                for operand in test.operands:
                    where = operand.extent
                    self.spans[operand_path(path, operand)] = span_within(node, where.start, where.end)
        return tree

    def effect(self, node: Node, path: str) -> Effect | None:
        """Return the checked effect that a scalar holds, or None."""
        text = self.text(node, path)
        if text is None or not isinstance(node, Scalar):
            return None
        known = self._effects.get(text)
        if known is None:
            known = parse_effect(text)
            if known[0] is not None and known[0].formula is not None:
                known = known[0], check_formula(known[0].formula, self.check_scope())
            self._effects[text] = known
        effect, problems = known
        self.add(node, path, problems)
        return None if problems else effect

    def text(self, node: Node, path: str, empty_is_fine: bool = False) -> str | None:
        """Return the text of a scalar, or None with a finding."""
        if not isinstance(node, Scalar):
            what = "a mapping" if isinstance(node, Mapping) else "a list"
            self.say(node, path, "wrong-type", f"expected a text, found {what}")
            return None
        if not node.text.strip() and not empty_is_fine:
            self.say(node, path, "empty-value", f"`{path.rpartition('.')[2]}` has no value", "give one or leave it out")
            return None
        return node.text

    def parsed(self, node: Node, path: str, parse: Callable[[str], T]) -> T | None:
        """Return what `parse` makes of a scalar, or None with a finding."""
        text = self.text(node, path)
        if text is None:
            return None
        try:
            return parse(text)
        except ValueRefused as refused:
            hint = meant(text, refused.words) if refused.words else ""
            self.say(node, path, "wrong-value", str(refused), hint, refused.words[:300])
            return None

    def items(self, node: Node, path: str) -> list[tuple[Node, str]]:
        """Return the items of a list with their paths; a finding when it is none."""
        if isinstance(node, Sequence):
            return [(item, f"{path}[{i}]") for i, item in enumerate(node.items)]
        hint = "write it as a list: [a, b]" if isinstance(node, Scalar) else ""
        self.say(node, path, "wrong-type", "expected a list", hint)
        return []

    def id_ok(self, key: Scalar, path: str, what: str) -> bool:
        """Tell whether a key is an id; a finding when not."""
        if ID.fullmatch(key.text) and len(key.text) <= LONGEST_ID:
            return True
        made = id_for(key.text)
        hint = f"such as `{made}`" if made else "letters a-z, digits and - only, a letter first"
        self.say(key, path, "bad-id", f"`{shorten(key.text)}` cannot be the id of a {what}", hint)
        return False


class Fields:
    """The fields of one mapping: unknown keys are reported at once, absent required ones when asked for."""

    def __init__(self, reading: Reading, node: Node, path: str, known: Iterable[str], what: str) -> None:
        self.reading = reading
        self.path = path
        self.node = node
        self.what = what
        self.values: dict[str, Node] = {}
        known = (*known, "title", "note")
        if not isinstance(node, Mapping):
            reading.say(node, path, "wrong-type", f"expected the fields of a {what}", "write `key: value` lines")
            return
        for entry in node.entries:
            key = entry.key.text
            if key in known:
                self.values[key] = entry.value
            else:
                hint = did_you_mean(key, known, f"it can have: {', '.join(known)}")
                message = f"a {what} has no `{shorten(key)}`"
                reading.say(entry.key, f"{path}.{shorten(key)}".lstrip("."), "unknown-key", message, hint, known)

    def at(self, key: str) -> str:
        """Return the path of a field."""
        return f"{self.path}.{key}".lstrip(".")

    def need(self, key: str, hint: str = "") -> Node | None:
        """Return a field that must be there, or None with a finding."""
        if key not in self.values and isinstance(self.node, Mapping):
            self.reading.say(self.node, self.path, "missing-key", f"this {self.what} has no `{key}`", hint, (key,))
        return self.values.get(key)

    def text(self, key: str, otherwise: str = "", longest: int = 4000) -> str:
        """Return a text field."""
        node = self.values.get(key)
        if node is None:
            return otherwise
        text = self.reading.text(node, self.at(key))
        if text is not None and len(text) > longest:
            message = f"`{key}` has {len(text)} characters; at most {longest} are shown"
            self.reading.say(node, self.at(key), "text-too-long", message, "shorten it")
        return otherwise if text is None else text

    def parsed(self, key: str, parse: Callable[[str], T]) -> T | None:
        """Return a field read by `parse`, or None."""
        node = self.values.get(key)
        return None if node is None else self.reading.parsed(node, self.at(key), parse)

    def flag(self, key: str) -> bool | None:
        """Return a yes/no field, or None."""
        return self.parsed(key, read_flag)

    def duration(self, key: str) -> int | None:
        """Return a duration field in seconds, or None."""
        return self.parsed(key, read_duration)

    def moment(self, key: str) -> datetime | None:
        """Return a moment field, or None."""
        return self.parsed(key, read_moment)

    def choice(self, key: str, words: tuple[str, ...], otherwise: str) -> str:
        """Return a field that holds one of a few words."""
        return self.parsed(key, lambda text: one_of(text, words)) or otherwise

    def list(self, key: str, parse: Callable[[str], T]) -> tuple[T, ...]:
        """Return a field that holds a list of scalars."""
        node = self.values.get(key)
        if node is None:
            return ()
        found = (self.reading.parsed(item, path, parse) for item, path in self.reading.items(node, self.at(key)))
        return tuple(item for item in found if item is not None)

    def refs(self, key: str, section: str, word: str) -> tuple[str, ...]:
        """Return a list of references to another section, each checked."""
        known = self.reading.ids.get(section, [])

        def parse(text: str) -> str:
            return text

        found = []
        node = self.values.get(key)
        for item, path in self.reading.items(node, self.at(key)) if node is not None else ():
            name = self.reading.parsed(item, path, parse)
            if name is None:
                continue
            if name not in known:
                there = ", ".join(sorted(known)[:8])
                hint = did_you_mean(name, known, f"there are: {there}")
                self.reading.say(
                    item, path, f"unknown-{word}", f"there is no {word} `{shorten(name)}`", hint, known[:50]
                )
            found.append(name)
        return tuple(found)


def one_of(text: str, words: tuple[str, ...]) -> str:
    """Return `text` when it is one of `words`, else refuse it."""
    if text not in words:
        raise ValueRefused(f"`{shorten(text)}`", f"one of {', '.join(words)}", words)
    return text


def section_objects(reading: Reading, document: Mapping, section: str, what: str) -> list[tuple[str, Node, str]]:
    """Return id, node and path of every object in a section; findings for bad ids."""
    node = document.get(section)
    if node is None:
        return []
    if not isinstance(node, Mapping):
        hint = "" if isinstance(node, Scalar) and node.text else "leave an empty section out"
        reading.say(node, section, "wrong-type", f"`{section}` maps ids to a {what} each", hint)
        return []
    found = []
    for entry in node.entries:
        path = f"{section}.{shorten(entry.key.text)}"
        if reading.id_ok(entry.key, path, what):
            reading.spans[f"{section}.{entry.key.text}"] = span_of(entry.key)
            found.append((entry.key.text, entry.value, path))
    return found
