"""One object of a rulebook as plain values, and back into its text: what did not change keeps its lines and comments.

A value is what a form shows: mappings, lists and texts, without types, as the document has them.
Not here: finding an object in a document (`objects`).
"""

from __future__ import annotations

import json
from collections.abc import Mapping as AnyMapping
from typing import Any, NamedTuple

from caddrel.core.diagnostics import Diagnostic, RulebookError
from caddrel.core.rulebook.edit.objects import WITHOUT_IDS, Path, object_text
from caddrel.core.rulebook.edit.writer import FREE_KEYS, format_rulebook
from caddrel.core.rulebook.source import DEEPEST, Entry, Mapping, Node, Scalar, Sequence, Source, read_source

Value = str | list[Any] | dict[str, Any]


def value_of(text: str) -> Value | None:
    """Return what an object's text says, its id left out; None when it cannot be read."""
    root, problems = read_source(Source("object", text))
    if problems or not isinstance(root, Mapping) or len(root.entries) != 1:
        return None
    return plain(root.entries[0].value)


def plain(node: Node) -> Value:
    """Return a source tree as plain values."""
    if isinstance(node, Scalar):
        return node.text
    if isinstance(node, Mapping):
        return {entry.key.text: plain(entry.value) for entry in node.entries}
    return [plain(item) for item in node.items]


def with_value(text: str, path: Path, value: Value) -> str:
    """Return an object's text so that it says `value`.

    Parameters
    ----------
    text
        The object as it stands now; empty for a new one.
    path
        Section and id; another id than in the text renames the object.

    Raises
    ------
    RulebookError
        When the value is none that a document can hold.
    """
    check_value(value, path)
    canonical = _canonical(path, value)
    old, new = _Side.of(text), _Side.of(canonical)
    if old is None or new is None:
        return canonical
    made = "\n".join(_entry(old, new, old.top(), new.top(), path[-1])) + "\n"
    # Whatever layout somebody found: what comes out says what was asked for.
    return made if value_of(made) == value_of(canonical) and _id(made) == path[-1] else canonical


def check_value(value: Any, path: Path) -> None:
    """Refuse what is no value of texts, lists and mappings.

    Raises
    ------
    RulebookError
        When it is none.
    """
    todo = [(value, 0)]
    while todo:
        each, depth = todo.pop()
        if depth > DEEPEST - 4:
            raise _refused(path, "this goes too deep")
        if isinstance(each, dict):
            todo += [(inner, depth + 1) for inner in each.values()]
            if not all(isinstance(key, str) and key.strip() for key in each):
                raise _refused(path, "an entry has no name")
        elif isinstance(each, list):
            todo += [(inner, depth + 1) for inner in each]
        elif not isinstance(each, str):
            raise _refused(path, "a value is a text, a list or a mapping")


def _refused(path: Path, message: str) -> RulebookError:
    hint = 'numbers and flags are written as texts: "12", "yes"'
    return RulebookError([Diagnostic("bad-value", message, hint, path=".".join(path))])


def _canonical(path: Path, value: Value) -> str:
    """Return the canonical text of an object."""
    inner: AnyMapping[str, Any] = {path[0]: value} if path[0] in WITHOUT_IDS else {path[0]: {path[1]: value}}
    # JSON is YAML, so the one writer of documents writes it.
    source = Source("object", format_rulebook(Source("object", json.dumps(inner, ensure_ascii=True))))
    found = object_text([source], path)
    if found is None:
        raise _refused(path, "this cannot be written as a rulebook")
    return found


def _id(text: str) -> str:
    root, _ = read_source(Source("object", text))
    return root.entries[0].key.text if isinstance(root, Mapping) and root.entries else ""


class _Part(NamedTuple):
    """An entry or item with its lines: `lead` is where the comments before it begin, `last` is not included."""

    node: Entry | Node
    lead: int
    first: int
    last: int
    column: int

    @property
    def value(self) -> Node:
        return self.node.value if isinstance(self.node, Entry) else self.node

    @property
    def key(self) -> str:
        return self.node.key.text if isinstance(self.node, Entry) else ""


class _Side(NamedTuple):
    """One text with its tree."""

    lines: list[str]
    root: Mapping

    @classmethod
    def of(cls, text: str) -> _Side | None:
        root, problems = read_source(Source("object", text))
        if problems or not isinstance(root, Mapping) or root.flow or len(root.entries) != 1:
            return None
        return cls(text.splitlines(), root)

    def top(self) -> _Part:
        entry = self.root.entries[0]
        return _Part(entry, 0, entry.key.start.line, len(self.lines), entry.key.start.column)

    def parts(self, outer: _Part) -> list[_Part] | None:
        """Return what is inside a block, None when it does not stand in lines of its own."""
        node = outer.value
        if isinstance(node, Scalar) or node.flow:
            return None
        inside: list[Entry] | list[Node] = node.entries if isinstance(node, Mapping) else node.items
        starts = [each.key.start if isinstance(each, Entry) else each.start for each in inside]
        found: list[_Part] = []
        for i, (each, start) in enumerate(zip(inside, starts, strict=True)):
            column = start.column
            if isinstance(node, Sequence):
                column = self.lines[start.line].rfind("-", 0, column)
                if column < 0 or self.lines[start.line][:column].strip(" -"):
                    return None
            first = start.line
            lead = found[-1].last if found else self._after_head(first, outer.first)
            end = starts[i + 1].line if i + 1 < len(starts) else outer.last
            last = end if i + 1 == len(starts) else self._before(first, end, column)
            found.append(_Part(each, lead, first, last, column))
        firsts = [part.first for part in found]
        return found if len(set(firsts)) == len(firsts) else None

    def _after_head(self, first: int, head: int) -> int:
        while first - 1 > head and self.lines[first - 1].strip()[:1] in {"", "#"}:
            first -= 1
        return first

    def _before(self, first: int, end: int, column: int) -> int:
        """Return where an entry ends: comments and blank lines before the next one belong to that."""
        while end > first + 1:
            line = self.lines[end - 1]
            outside = line.lstrip().startswith("#") and len(line) - len(line.lstrip()) <= column
            if line.strip() and not outside:
                break
            end -= 1
        return end


def _entry(old: _Side, new: _Side, was: _Part, now: _Part, key: str) -> list[str]:
    """Return the lines of an entry or item: the old ones, changed where the value differs."""
    if was.key == now.key and plain(was.value) == plain(now.value):
        return old.lines[was.first : was.last]
    if isinstance(was.value, Scalar) and isinstance(now.value, Scalar):
        beside = _beside(old, new, was, now)
        if beside is not None:
            return beside
    inner, wanted = old.parts(was), new.parts(now)
    same = type(was.value) is type(now.value)
    if not same or not inner or not wanted or (isinstance(now.node, Entry) and wanted[0].first == now.first):
        return _moved(new, now, was.column)
    if isinstance(now.value, Mapping):
        body = _mapping(old, new, inner, wanted, key)
    else:
        body = _sequence(old, new, inner, wanted, key)
    if isinstance(was.node, Entry):
        head = old.lines[was.first : inner[0].lead]
        if was.key != now.key:
            head[0] = head[0].replace(was.key, now.key, 1)
        return [*head, *body]
    return _dashed(body, was.column)


def _mapping(old: _Side, new: _Side, inner: list[_Part], wanted: list[_Part], key: str) -> list[str]:
    before = {part.key: part for part in inner}
    after = {part.key: part for part in wanted}
    order = [name for name in before if name in after]
    if key in FREE_KEYS and order != [name for name in after if name in before]:
        order = list(after)
    else:
        names = list(after)
        for i, name in enumerate(names):
            if name not in before:
                order.insert(order.index(names[i - 1]) + 1 if i else 0, name)
    lines: list[str] = []
    for name in order:
        if name in before:
            part = before[name]
            lines += old.lines[part.lead : part.first]
            lines += _entry(old, new, part, after[name], name)
        else:
            lines += _moved(new, after[name], inner[0].column)
    return lines


def _sequence(old: _Side, new: _Side, inner: list[_Part], wanted: list[_Part], key: str) -> list[str]:
    left = list(inner)
    pairs: dict[int, _Part] = {}
    for fits in (_alike, _same_id):
        for i, now in enumerate(wanted):
            found = next((part for part in left if i not in pairs and fits(part, now)), None)
            if found is not None:
                pairs[i] = found
                left = [part for part in left if part is not found]
    for i in range(len(wanted)):
        there = inner[i] if i < len(inner) else None
        if i not in pairs and there is not None and any(part is there for part in left):
            pairs[i] = there
            left = [part for part in left if part is not there]
    lines: list[str] = []
    for i, now in enumerate(wanted):
        was = pairs.get(i)
        if was is None:
            lines += _moved(new, now, inner[0].column)
        else:
            lines += [*old.lines[was.lead : was.first], *_entry(old, new, was, now, key)]
    return lines


def _alike(part: _Part, now: _Part) -> bool:
    return plain(part.value) == plain(now.value)


def _same_id(part: _Part, now: _Part) -> bool:
    was, is_now = plain(part.value), plain(now.value)
    return isinstance(was, dict) and isinstance(is_now, dict) and "id" in was and was["id"] == is_now.get("id")


def _beside(old: _Side, new: _Side, was: _Part, now: _Part) -> list[str] | None:
    """Return a line whose text alone is changed, what stands after it kept; None where it takes more lines."""
    ends, other = was.value, now.value
    one_line = was.last == was.first + 1 and ends.start.line == ends.end.line == was.first
    if was.key != now.key or not one_line or other.start.line != other.end.line or now.last != now.first + 1:
        return None
    line, written = old.lines[was.first], new.lines[now.first]
    text = written[other.start.column : other.end.column]
    return [line[: ends.start.column] + text + line[ends.end.column :]] if text and ends.end.column else None


def _moved(side: _Side, part: _Part, column: int) -> list[str]:
    by = column - part.column
    lines = side.lines[part.first : part.last]
    return [" " * by + line if by > 0 and line.strip() else line[-by:] if by < 0 else line for line in lines]


def _dashed(body: list[str], column: int) -> list[str]:
    """Return the lines of an item's entries, the first of them on the line of the dash."""
    first = next(i for i, line in enumerate(body) if line.strip() and not line.lstrip().startswith("#"))
    line = body[first]
    bare = line[:column] + " " + line[column + 1 :]
    return [*body[:first], f"{' ' * column}-{bare[column + 1 :]}", *body[first + 1 :]]
