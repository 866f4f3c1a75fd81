"""A YAML or JSON text as a tree that knows where everything stands.

Plain scalars stay text: their type comes from the rulebook format, never from YAML's guessing. Anchors, tags, merges
and duplicate keys are refused. Built from parser events without recursion, so depth costs nothing.
Not here: what the keys mean (`reader`).
"""

from __future__ import annotations

from dataclasses import dataclass, field

import yaml

from caddrel.core.diagnostics import Diagnostic, Span, shorten

LARGEST_DOCUMENT = 4 * 1024 * 1024
DEEPEST = 24

_Loader = getattr(yaml, "CSafeLoader", yaml.SafeLoader)


@dataclass(slots=True)
class Place:
    """A point in a text: character index, and line and column counted from 0."""

    index: int
    line: int
    column: int


@dataclass(slots=True)
class Scalar:
    """A text; `style` is the YAML style character, empty for plain."""

    text: str
    style: str
    start: Place
    end: Place
    source: Source


@dataclass(slots=True)
class Entry:
    """One key of a mapping with its value."""

    key: Scalar
    value: Node


@dataclass(slots=True)
class Mapping:
    """Keys and values in document order."""

    start: Place
    end: Place
    source: Source
    flow: bool
    entries: list[Entry] = field(default_factory=list)

    def get(self, key: str) -> Node | None:
        """Return the value of a key, or None."""
        return next((e.value for e in self.entries if e.key.text == key), None)


@dataclass(slots=True)
class Sequence:
    """Items in document order."""

    start: Place
    end: Place
    source: Source
    flow: bool
    items: list[Node] = field(default_factory=list)


Node = Scalar | Mapping | Sequence


@dataclass(slots=True)
class Source:
    """A named text; the name is what diagnostics say before line and column."""

    name: str
    text: str


def span_of(node: Node) -> Span:
    """Return where a node stands; of a long one only the first line."""
    start, end = node.start, node.end
    if isinstance(node, Scalar) or node.flow:
        if end.line == start.line:
            return Span(node.source.name, start.line + 1, start.column + 1, end.line + 1, end.column + 1)
        line_end = node.source.text.find("\n", start.index)
        width = (line_end if line_end >= 0 else len(node.source.text)) - start.index
        return Span(node.source.name, start.line + 1, start.column + 1, start.line + 1, start.column + 1 + width)
    return Span(node.source.name, start.line + 1, start.column + 1, start.line + 1, start.column + 2)


def span_within(scalar: Scalar, start: int, end: int) -> Span:
    """Return where characters ``start:end`` of a scalar's value stand in the file.

    Quotes, escapes, folding and indentation make the two differ: the value is laid along the source, character by
    character, skipping the white space that YAML drops.
    """
    text = scalar.source.text
    marks = _alignment(scalar)
    first = marks[min(start, len(marks) - 1)]
    last = marks[min(max(end - 1, start), len(marks) - 1)] + (1 if end > start else 0)
    return Span(scalar.source.name, *_line_column(text, first), *_line_column(text, max(last, first + 1)))


def _alignment(scalar: Scalar) -> list[int]:
    """Return for each character of the value, and its end, the index in the source."""
    text, value = scalar.source.text, scalar.text
    at = scalar.start.index
    if scalar.style in {"|", ">"}:
        newline = text.find("\n", at)
        at = newline + 1 if newline >= 0 else len(text)
    elif scalar.style in {"'", '"'}:
        at += 1
    marks = []
    for char in value:
        if char.isspace():
            marks.append(at)
            if at < len(text) and text[at] == char:
                at += 1
            continue
        while at < len(text) and text[at] != char and text[at].isspace():
            at += 1
        if scalar.style == '"' and text[at : at + 1] == "\\":
            marks.append(at)
            at += 2
            continue
        marks.append(at)
        at += 2 if scalar.style == "'" and char == "'" else 1
    marks.append(at)
    return marks


def _line_column(text: str, index: int) -> tuple[int, int]:
    line_start = text.rfind("\n", 0, index) + 1
    return text.count("\n", 0, index) + 1, index - line_start + 1


class _Refused(Exception):
    def __init__(self, diagnostic: Diagnostic) -> None:
        super().__init__(diagnostic.message)
        self.diagnostic = diagnostic


def read_source(source: Source) -> tuple[Node | None, list[Diagnostic]]:
    """Return the tree of one document, or None, with the diagnostics.

    Duplicate keys are reported together and do not stop the reading; a text that is not YAML does.
    """
    size = len(source.text)
    if size > LARGEST_DOCUMENT:
        message = f"this document has {size} characters; at most {LARGEST_DOCUMENT} are read"
        span = Span(source.name, 1, 1, 1, 2)
        return None, [Diagnostic("document-too-large", message, "put addresses into address lists", span=span)]
    problems: list[Diagnostic] = []
    try:
        return _build(source, problems), problems
    except _Refused as refused:
        return None, [*problems, refused.diagnostic]
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        line, column = (mark.line + 1, mark.column + 1) if mark else (1, 1)
        span = Span(source.name, line, column, line, column + 1)
        message = error.problem or "this is not YAML"
        return None, [*problems, Diagnostic("not-yaml", f"this is not YAML: {message}", _yaml_hint(message), span=span)]
    except yaml.reader.ReaderError as error:
        position = error.position if isinstance(error.position, int) else 0
        line, column = _line_column(source.text, min(position, size))
        char = source.text[position : position + 1]
        message = f"the character U+{ord(char):04X} may not stand in a document" if char else "unreadable character"
        span = Span(source.name, line, column, line, column + 1)
        return None, [*problems, Diagnostic("not-yaml", message, "remove it", span=span)]
    except UnicodeEncodeError as error:
        line, column = _line_column(source.text, error.start)
        span = Span(source.name, line, column, line, column + 1)
        return None, [*problems, Diagnostic("not-yaml", "half of a surrogate pair stands alone", "remove it", span=span)]


def _yaml_hint(message: str) -> str:
    if "\\t" in message or "tab" in message:
        return "indent with spaces"
    if "expected ','" in message:
        return "inside [ ] or { }, put a text that holds such brackets or commas in quotes"
    if "mapping values are not allowed" in message:
        return "put a text that holds `: ` in quotes, or indent with the same number of spaces"
    return "check indentation, brackets and quotes just before"


def _place(mark: yaml.Mark) -> Place:
    return Place(mark.index, mark.line, mark.column)


def _refuse(event: yaml.Event, source: Source, code: str, message: str, hint: str = "") -> _Refused:
    start, end = event.start_mark, event.end_mark
    end_column = end.column + 1 if end.line == start.line else start.column + 2
    span = Span(source.name, start.line + 1, start.column + 1, start.line + 1, end_column)
    return _Refused(Diagnostic(code, message, hint, span=span))


def _build(source: Source, problems: list[Diagnostic]) -> Node | None:
    stack: list[Mapping | Sequence] = []
    keys: list[Scalar | None] = []
    seen: list[set[str]] = []
    root: Node | None = None
    documents = 0

    def attach(node: Node, event: yaml.Event) -> None:
        nonlocal root
        if not stack:
            root = node
            return
        parent = stack[-1]
        if isinstance(parent, Sequence):
            parent.items.append(node)
            return
        key = keys[-1]
        if key is None:
            if not isinstance(node, Scalar):
                raise _refuse(event, source, "bad-key", "a key must be a plain word")
            keys[-1] = node
            if node.text == "<<" and not node.style:
                raise _refuse(event, source, "yaml-feature", "merge keys are not part of the format")
            return
        if key.text in seen[-1]:
            problems.append(
                Diagnostic(
                    "duplicate-key", f"`{shorten(key.text)}` is given twice", "keep one of the two", span=span_of(key)
                )
            )
        else:
            seen[-1].add(key.text)
            parent.entries.append(Entry(key, node))
        keys[-1] = None

    for event in yaml.parse(source.text, Loader=_Loader):
        if isinstance(event, yaml.AliasEvent) or getattr(event, "anchor", None):
            raise _refuse(event, source, "yaml-feature", "anchors and aliases are not part of the format")
        if isinstance(event, yaml.NodeEvent) and getattr(event, "tag", None) not in {None, "!"}:
            hint = "types come from the format; quote a text that starts with !"
            raise _refuse(event, source, "yaml-feature", "tags are not part of the format", hint)
        if isinstance(event, yaml.DocumentStartEvent):
            documents += 1
            if documents > 1:
                hint = "split it into files of one folder"
                raise _refuse(event, source, "yaml-feature", "a file holds one document", hint)
        elif isinstance(event, yaml.ScalarEvent):
            style = "" if event.style is None else event.style
            node = Scalar(event.value, style, _place(event.start_mark), _place(event.end_mark), source)
            attach(node, event)
        elif isinstance(event, yaml.MappingStartEvent | yaml.SequenceStartEvent):
            made = Mapping if isinstance(event, yaml.MappingStartEvent) else Sequence
            start = _place(event.start_mark)
            opened = made(start, start, source, bool(event.flow_style))
            attach(opened, event)
            stack.append(opened)
            keys.append(None)
            seen.append(set())
            if len(stack) > DEEPEST:
                raise _refuse(event, source, "too-deep", f"lists and mappings go more than {DEEPEST} deep")
        elif isinstance(event, yaml.MappingEndEvent | yaml.SequenceEndEvent):
            stack.pop().end = _place(event.end_mark)
            keys.pop()
            seen.pop()
    return root
