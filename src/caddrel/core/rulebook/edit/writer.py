"""Writing a rulebook in its canonical form: stable key order, canonical conditions, comments kept.

Works on the source tree, not on the model, so that nothing an administrator wrote is lost. Writing twice
changes nothing.
"""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass, field

from caddrel.core.language.formulas import parse_effect
from caddrel.core.language.parser import parse_condition
from caddrel.core.language.printer import print_condition, print_effect
from caddrel.core.rulebook.read.rulebook import SECTIONS
from caddrel.core.rulebook.source import Entry, Mapping, Node, Scalar, Sequence, Source, read_source

WIDTH = 110
_SCOPE = ("people", "except_people", "apps", "except_apps", "operations")
_ORDER = (
    *("id", "title", "note", "why", "owner", "mode", "labels", "stance", "keyholders", "assume", "contact", "active"),
    *("kind", "of", "version", "text", "zone", "hours", "closed", "open", *_SCOPE),
    *("networks", "lists", "countries", "anonymisers", "asns", "places", "without"),
    *("checks", "must", "fix", "lock", "any_of", "above_kmh", "ignore_km", "km", "after", "within", "history"),
    *("for", "who", "with_shadow", "rules", "when", "at_least", "at_most", "not_older_than"),
    *("then", "tell", "link", "keep", "attempt", "expect", "expect_open", "code", "object", "because", "from", "until"),
    *("session_at_most", "idle_at_most", "end_with_browser"),
)
_RANK = {key: i for i, key in enumerate(_ORDER)}
_TOP = {key: i for i, key in enumerate(("caddrel", *SECTIONS))}
# Mappings of these keys, and the objects of these sections, are short enough to stand on one line.
_INLINE_KEYS = {"keep", "without", "active", "lock", "must", "attempt", "for"}
_INLINE_SECTIONS = {"apps", "proofs", "signals"}
FREE_KEYS = {"assume", "attempt", "checks", "hours", "open"}
_START_INDICATORS = "-?:,[]{}#&*!|>'\"%@`"


@dataclass(slots=True)
class _Comments:
    before: list[str] = field(default_factory=list)
    side: str = ""
    after: list[str] = field(default_factory=list)


Item = Entry | Node


def format_rulebook(source: Source) -> str:
    """Return the canonical text of a rulebook document.

    The document must be readable; what it means is not checked here.
    """
    root, _ = read_source(source)
    if not isinstance(root, Mapping):
        return source.text
    writer = _Writer(root, source)
    return writer.document()


class _Writer:
    def __init__(self, root: Mapping, source: Source) -> None:
        self.root = root
        self.source = source
        self.comments: dict[int, _Comments] = {}
        self.has_comments: set[int] = set()
        self.leading: list[str] = []
        self._attach_comments()

    # Comments

    def _attach_comments(self) -> None:
        anchors: list[tuple[int, int, int, Item, tuple[int, ...]]] = []
        scalars: list[tuple[int, int]] = []

        def walk(node: Node, trail: tuple[int, ...]) -> None:
            if isinstance(node, Scalar):
                scalars.append((node.start.index, node.end.index))
            elif isinstance(node, Mapping):
                for entry in node.entries:
                    inner = (*trail, id(node))
                    anchors.append((entry.key.start.index, entry.key.start.line, entry.key.start.column, entry, inner))
                    scalars.append((entry.key.start.index, entry.key.end.index))
                    walk(entry.value, (*inner, id(entry)))
            else:
                for item in node.items:
                    inner = (*trail, id(node))
                    anchors.append((item.start.index, item.start.line, item.start.column, item, inner))
                    walk(item, (*inner, id(item)))

        walk(self.root, ())
        anchors.sort(key=lambda anchor: (anchor[0], len(anchor[4])))
        starts = [anchor[0] for anchor in anchors]
        for index, line, column, own_line, text in _comments(self.source.text, scalars):
            at = bisect_right(starts, index)
            if not own_line:
                same = [a for a in anchors[:at] if a[1] == line] or anchors[max(at - 1, 0) : at]
                if same:
                    # A list item and its first key start together; the comment belongs to the key.
                    beside = next((a for a in same if isinstance(a[3], Entry)), same[0])
                    target = self._of(beside[3], beside[4])
                    target.side = f"{target.side} {text}".strip()
                continue
            following = anchors[at] if at < len(anchors) else None
            if following is not None and column <= following[2]:
                outermost = next(a for a in anchors[at:] if a[0] == following[0])
                self._of(outermost[3], outermost[4]).before.append(text)
                continue
            owner = next((a for a in reversed(anchors[:at]) if a[2] <= column), None)
            if owner is None:
                self.leading.append(text)
            else:
                self._of(owner[3], owner[4]).after.append(text)

    def _of(self, item: Item, trail: tuple[int, ...]) -> _Comments:
        self.has_comments.update(trail)
        return self.comments.setdefault(id(item), _Comments())

    # Writing

    def document(self) -> str:
        lines = list(self.leading)
        for i, entry in enumerate(sorted(self.root.entries, key=lambda e: _TOP.get(e.key.text, 99))):
            if i:
                lines.append("")
            lines.extend(self._entry(entry, 0, (entry.key.text,)))
        return "\n".join(lines) + "\n"

    def _entry(self, entry: Entry, indent: int, path: tuple[str, ...]) -> list[str]:
        kept = self.comments.get(id(entry), _Comments())
        pad = " " * indent
        key = _plain(entry.key.text, flow=False)
        head, body = self._value(entry.value, indent, path, len(key) + 2)
        side = f" {kept.side}" if kept.side else ""
        lines = [*(pad + c for c in kept.before), f"{pad}{key}:{' ' if head else ''}{head}{side}", *body]
        return [*lines, *(pad + c for c in kept.after)]

    def _value(self, node: Node, indent: int, path: tuple[str, ...], used: int) -> tuple[str, list[str]]:
        """Return what stands after the key, and the lines below it."""
        if isinstance(node, Scalar):
            return _scalar(_canonical(node, path), indent, used)
        if id(node) not in self.has_comments and self._inline(node, path):
            flow = self._flow(node, path)
            if indent + used + len(flow) <= WIDTH:
                return flow, []
        if isinstance(node, Mapping):
            if not node.entries:
                return "{}", []
            return "", self._block(node, indent + 2, path)
        if not node.items:
            return "[]", []
        return "", [line for item in node.items for line in self._item(item, indent + 2, path)]

    def _block(self, node: Mapping, indent: int, path: tuple[str, ...]) -> list[str]:
        lines: list[str] = []
        for i, entry in enumerate(_sorted(node, path)):
            if i and path == ("policies",):
                lines.append("")
            lines.extend(self._entry(entry, indent, (*path, entry.key.text)))
        return lines

    def _item(self, item: Node, indent: int, path: tuple[str, ...]) -> list[str]:
        kept = self.comments.get(id(item), _Comments())
        pad = " " * indent
        inner = (*path, "[]")
        before = [pad + c for c in kept.before]
        if isinstance(item, Mapping) and item.entries and not self._flow_item(item, inner, indent):
            lines = self._block(item, indent + 2, inner)
            # The first key shares the line of the dash; comments before it stay above.
            first = next(i for i, line in enumerate(lines) if not line.lstrip().startswith("#"))
            dashed = f"{pad}- {lines[first].lstrip()}"
            side = [pad + kept.side] if kept.side else []
            return [*before, *side, *lines[:first], dashed, *lines[first + 1 :], *(pad + c for c in kept.after)]
        head, body = self._value(item, indent, inner, 2)
        if not head and isinstance(item, Sequence):
            return [*before, f"{pad}-", *body]
        side_text = f" {kept.side}" if kept.side else ""
        return [*before, f"{pad}- {head}{side_text}", *body, *(pad + c for c in kept.after)]

    def _flow_item(self, item: Mapping, path: tuple[str, ...], indent: int) -> bool:
        return (
            id(item) not in self.has_comments
            and self._inline(item, path)
            and (indent + 2 + len(self._flow(item, path)) <= WIDTH)
        )

    def _inline(self, node: Node, path: tuple[str, ...]) -> bool:
        if isinstance(node, Sequence):
            return all(isinstance(i, Scalar) or (isinstance(i, Sequence) and self._inline(i, path)) for i in node.items)
        if isinstance(node, Scalar):
            return "\n" not in node.text
        simple = all(
            (isinstance(e.value, Scalar | Sequence) and self._inline(e.value, path))
            or (e.key.text in _INLINE_KEYS and self._inline(e.value, (*path, e.key.text)))
            for e in node.entries
        )
        keys = {e.key.text for e in node.entries}
        named = path[-1] in _INLINE_KEYS and path[0] != "standards"
        small = len(path) == 2 and path[0] in _INLINE_SECTIONS
        return simple and (named or small or keys == {"where"})

    def _flow(self, node: Node, path: tuple[str, ...]) -> str:
        if isinstance(node, Scalar):
            return _plain(_canonical(node, path), flow=True)
        if isinstance(node, Sequence):
            return f"[{', '.join(self._flow(i, (*path, '[]')) for i in node.items)}]"
        inner = (
            f"{_plain(e.key.text, flow=True)}: {self._flow(e.value, (*path, e.key.text))}" for e in _sorted(node, path)
        )
        return f"{{{', '.join(inner)}}}"


def _sorted(node: Mapping, path: tuple[str, ...]) -> list[Entry]:
    """Return the entries in canonical order; ids keep the order the administrator gave them."""
    section_objects = len(path) == 1 and path[0] != "settings"
    if section_objects or path[-1] in FREE_KEYS:
        return node.entries
    return sorted(node.entries, key=lambda e: _RANK.get(e.key.text, len(_RANK)))


def _canonical(scalar: Scalar, path: tuple[str, ...]) -> str:
    """Return a scalar's text, conditions and effects in canonical form."""
    text, key = scalar.text, path[-1]
    # A comment within a condition would be lost by printing the tree.
    if "#" in text:
        return text
    if key in {"when", "where"} or (key == "must" and path[0] == "standards"):
        tree, _ = parse_condition(text)
        return text if tree is None else print_condition(tree)
    if key == "then" or (key == "at_least" and path[0] == "guarantees"):
        effect, _ = parse_effect(text)
        return text if effect is None else print_effect(effect)
    return text


def _scalar(text: str, indent: int, used: int) -> tuple[str, list[str]]:
    plain = _plain(text, flow=False)
    pad = " " * (indent + 2)
    if "\n" in text and _literal(text):
        mark = "|" if text.endswith("\n") else "|-"
        return mark, [f"{pad}{line}" if line else "" for line in text.removesuffix("\n").split("\n")]
    if indent + used + len(plain) > WIDTH and plain == text and "  " not in text and " " in text:
        return ">-", [pad + line for line in _wrap(text, WIDTH - len(pad))]
    return plain, []


def _literal(text: str) -> bool:
    body = text.removesuffix("\n")
    return (
        bool(body.strip())
        and not body.startswith((" ", "\n"))
        and not body.endswith("\n")
        and all((line == line.rstrip() and line.isprintable()) or not line for line in body.split("\n"))
    )


def _wrap(text: str, width: int) -> list[str]:
    lines: list[str] = []
    current = ""
    for word in text.split(" "):
        if current and len(current) + 1 + len(word) > width:
            lines.append(current)
            current = word
        else:
            current = f"{current} {word}" if current else word
    return [*lines, current]


def _plain(text: str, flow: bool) -> str:
    """Return a text as a plain scalar, or double-quoted where YAML would read it otherwise."""
    safe = (
        text
        and text == text.strip()
        and text.isprintable()
        and (text[0] not in _START_INDICATORS or (text[0] in "-?:" and text[1:2].strip() and not flow))
        and ": " not in text
        and " #" not in text
        and not text.endswith(":")
        and not text.startswith(("---", "..."))
        and not (flow and any(char in text for char in ",[]{}"))
    )
    if safe:
        return text
    escaped = []
    for char in text:
        if char in '"\\':
            escaped.append(f"\\{char}")
        elif char == "\n":
            escaped.append("\\n")
        elif char.isprintable():
            escaped.append(char)
        elif ord(char) < 0x10000:
            escaped.append(f"\\u{ord(char):04x}")
        else:
            escaped.append(f"\\U{ord(char):08x}")
    return f'"{"".join(escaped)}"'


def _comments(text: str, scalars: list[tuple[int, int]]) -> list[tuple[int, int, int, bool, str]]:
    """Return index, line, column, whether alone on its line, and text of every comment."""
    found = []
    taken = sorted(scalars)
    starts = [start for start, _ in taken]
    index = 0
    for line, content in enumerate(text.split("\n")):
        for column, char in enumerate(content):
            if char != "#" or (column and not content[column - 1].isspace()):
                continue
            at = index + column
            which = bisect_right(starts, at) - 1
            start, end = taken[which] if which >= 0 else (0, 0)
            header = text[start : start + 1] in {"|", ">"} and "\n" not in text[start:at]
            if at < end and not header:
                continue
            found.append((at, line, column, not content[:column].strip(), content[column:].rstrip()))
            break
        index += len(content) + 1
    return found
