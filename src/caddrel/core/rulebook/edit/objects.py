"""Changing one object of a rulebook's documents, and nothing else: comments, order and layout of the rest stay.

An object is named by its path: a section and an id, or one of the sections that have no ids (`settings`). Its text is
what stands in the document, moved to the left margin.
"""

from __future__ import annotations

from collections.abc import Mapping as AnyMapping
from collections.abc import MutableMapping
from collections.abc import Sequence as AnySequence
from typing import NamedTuple

from caddrel.core.diagnostics import Diagnostic, RulebookError, shorten
from caddrel.core.rulebook.edit.writer import format_rulebook
from caddrel.core.rulebook.source import Entry, Mapping, Scalar, Source, read_source

Path = tuple[str, ...]
WITHOUT_IDS = ("settings", "accepted")


class _Found(NamedTuple):
    """Where an object stands: its document, and its lines, the last not included."""

    source: int
    first: int
    last: int
    indent: int


def read_path(text: str) -> Path:
    """Return a path such as ``policies.abroad``; ids may have dots in them.

    Raises
    ------
    RulebookError
        When it is none.
    """
    section, dot, id = text.partition(".")
    if (section in WITHOUT_IDS and not dot) or (section and section not in WITHOUT_IDS and id):
        return (section, id) if dot else (section,)
    raise RulebookError([Diagnostic("bad-path", f"`{shorten(text)}` names no object", "such as policies.abroad")])


def object_text(sources: AnySequence[Source], path: Path, stands: Stands | None = None) -> str | None:
    """Return an object as it stands in its document, None when it is not there."""
    return objects_of(sources, stands).get(path)


def objects_of(sources: AnySequence[Source], stands: Stands | None = None) -> dict[Path, str]:
    """Return every object's text by its path, in document order; of one given twice the first.

    Of documents whose sections do not stand in lines of their own it is the canonical text, as an edit would write it.
    """
    stands = Stands({}) if stands is None else stands
    blocks = [_as_blocks(source, stands) for source in sources]
    lines = [source.text.splitlines() for source in blocks]
    found = {}
    for path, (source, first, last, cut) in _index(blocks, stands).items():
        kept = [line.lstrip() if line[:cut].strip() else line[cut:] for line in lines[source][first:last]]
        found[path] = "\n".join(kept) + "\n"
    return found


def document_of(objects: AnyMapping[Path, str]) -> str:
    """Return one document with objects as `objects_of` gives them."""
    sections: dict[str, list[str]] = {}
    for path, text in objects.items():
        block = text.splitlines() if len(path) == 1 else _indented(text, 2)
        sections.setdefault(path[0], [] if len(path) == 1 else [f"{path[0]}:"]).extend(block)
    return "\n".join(["caddrel: 1", *(line for lines in sections.values() for line in lines)]) + "\n"


def with_object(
    sources: AnySequence[Source], path: Path, text: str | None, stands: Stands | None = None
) -> list[Source]:
    """Return the documents with an object replaced, added at the end of its section, or taken out.

    Parameters
    ----------
    text
        The object with its id as the first line, which may be another id than before; None takes it out.

    Raises
    ------
    RulebookError
        When the text is not one object, or its id belongs to another one already.
    """
    stands = Stands({}) if stands is None else stands
    blocks = [_as_blocks(source, stands) for source in sources]
    new = _checked(text, path, blocks, stands) if text is not None else ""
    found = _find(blocks, path, stands)
    if found is None:
        return blocks if text is None else _added(blocks, path, new, stands)
    before = blocks[found.source]
    lines = before.text.splitlines()
    put = _indented(new, found.indent)
    lines[found.first : found.last] = put
    changed = list(blocks)
    changed[found.source] = after = Source(before.name, "\n".join(lines) + "\n")
    if text is None:
        return _without_empty_section(changed, path)
    stands.moved(before.text, after.text, path, (*path[:-1], _id_of(new)), len(put))
    return changed


def _id_of(text: str) -> str:
    root, _ = read_source(Source("object", text))
    assert isinstance(root, Mapping)
    return root.entries[0].key.text


def _checked(text: str, path: Path, sources: AnySequence[Source], stands: Stands) -> str:
    """Return the text of one object, without blank lines around it."""
    root, problems = read_source(Source("object", text))
    if problems:
        raise RulebookError(problems)
    if not isinstance(root, Mapping) or len(root.entries) != 1 or root.flow:
        hint = f"begin with `{path[-1]}:` and indent what belongs to it"
        raise RulebookError([Diagnostic("not-one-object", "this is not one object", hint, path=".".join(path))])
    id = root.entries[0].key.text
    renamed = (*path[:-1], id)
    if renamed != path and (len(path) == 1 or _find(sources, renamed, stands) is not None):
        message = f"there is `{shorten(id)}` already" if len(path) > 1 else f"this section is called `{path[0]}`"
        raise RulebookError([Diagnostic("given-twice", message, "give it another id", path=".".join(path))])
    return text.strip("\n")


def _added(sources: list[Source], path: Path, text: str, stands: Stands) -> list[Source]:
    section = path[0]
    for i, source in enumerate(sources):
        for entry in _root_entries(source):
            if entry.key.text != section or len(path) == 1:
                continue
            inside, lines = _entries(entry), source.text.splitlines()
            if inside:
                last = _find(sources, (section, inside[-1].key.text), stands)
                assert last is not None
                lines[last.last : last.last] = ["", *_indented(text, last.indent)]
            elif not _is_empty(entry):
                continue
            else:
                # It is there and empty: a second one would be given twice. What was said beside it stays.
                at = entry.key.start.line
                said = [line[line.index("#") :] for line in lines[at : entry.value.end.line + 1] if "#" in line]
                lines[at : max(entry.value.end.line, at) + 1] = [
                    f"{section}:{f' {said[0]}' if said else ''}",
                    *_indented("\n".join([*said[1:], text]), 2),
                ]
            return [*sources[:i], Source(source.name, "\n".join(lines) + "\n"), *sources[i + 1 :]]
    first = sources[0]
    block = _indented(text, 2) if len(path) > 1 else text.splitlines()
    lines = [*first.text.rstrip("\n").splitlines(), "", *([f"{section}:"] if len(path) > 1 else []), *block]
    return [Source(first.name, "\n".join(lines) + "\n"), *sources[1:]]


def _without_empty_section(sources: list[Source], path: Path) -> list[Source]:
    """Take out the key of a section that nothing is left in."""
    made = []
    for source in sources:
        lines = source.text.splitlines()
        for entry in _root_entries(source):
            if entry.key.text == path[0] and len(path) > 1 and not _entries(entry):
                del lines[entry.key.start.line]
                break
        made.append(Source(source.name, "\n".join(lines) + "\n"))
    return made


def _indented(text: str, indent: int) -> list[str]:
    return [f"{' ' * indent}{line}" if line.strip() else "" for line in text.splitlines()]


def _as_blocks(source: Source, stands: Stands) -> Source:
    """Return a document whose sections stand in lines of their own; a section written otherwise is written so."""
    if not stands.of(source.text).flowing:
        return source
    root, _ = read_source(source)
    assert isinstance(root, Mapping)
    if root.flow:
        return Source(source.name, format_rulebook(source))
    lines = source.text.splitlines()
    for entry, following in reversed(list(zip(root.entries, [*root.entries[1:], None], strict=True))):
        if _flows(entry):
            end = following.key.start.line if following is not None else len(lines)
            at = _trimmed(0, lines, entry, end)
            section = Source(source.name, "\n".join(lines[at.first : at.last]) + "\n")
            lines[at.first : at.last] = format_rulebook(section).splitlines()
    return Source(source.name, "\n".join(lines) + "\n")


def _flows(entry: Entry) -> bool:
    return isinstance(entry.value, Mapping) and entry.value.flow and bool(entry.value.entries)


def _root_entries(source: Source) -> list[Entry]:
    root, _ = read_source(source)
    return root.entries if isinstance(root, Mapping) else []


def _is_empty(entry: Entry) -> bool:
    value = entry.value
    if isinstance(value, Scalar):
        return not value.style and value.text in {"", "~", "null"}
    return isinstance(value, Mapping) and not value.entries


def _entries(entry: Entry) -> list[Entry]:
    return entry.value.entries if isinstance(entry.value, Mapping) else []


def _find(sources: AnySequence[Source], path: Path, stands: Stands) -> _Found | None:
    return _index(sources, stands).get(path)


def _index(sources: AnySequence[Source], stands: Stands) -> dict[Path, _Found]:
    """Return where every object stands; each document is read once."""
    found: dict[Path, _Found] = {}
    for i, source in enumerate(sources):
        for path, (_, first, last, indent) in stands.of(source.text).found.items():
            found.setdefault(path, _Found(i, first, last, indent))
    return found


class Stand(NamedTuple):
    """Where the objects of one document stand; `flowing` when its sections do not stand in lines of their own."""

    flowing: bool
    found: dict[Path, _Found]


class Stands:
    """Where objects stand in documents, found once for each text.

    Parameters
    ----------
    known
        Holds what was found, and may let go of it: large documents are looked at again at every key typed.
    """

    def __init__(self, known: MutableMapping[str, Stand]) -> None:
        self._known = known

    def of(self, text: str) -> Stand:
        """Return where the objects of a document stand."""
        known = self._known.get(text)
        if known is None:
            known = self._known[text] = _stand_of(text)
        return known

    def moved(self, before: str, after: str, path: Path, renamed: Path, length: int) -> None:
        """Note that one object's lines were replaced: what stands behind it has moved."""
        stand = self.of(before)
        mine = stand.found[path]
        by = length - (mine.last - mine.first)
        made = {}
        for other, at in stand.found.items():
            if other == path:
                made[renamed] = at._replace(last=mine.first + length)
            else:
                made[other] = at if at.first < mine.first else at._replace(first=at.first + by, last=at.last + by)
        self._known[after] = Stand(stand.flowing, made)


def _stand_of(text: str) -> Stand:
    found: dict[Path, _Found] = {}
    source = Source("rulebook", text)
    root, _ = read_source(source)
    if isinstance(root, Mapping):
        flowing = root.flow or any(_flows(entry) for entry in root.entries)
        lines = text.splitlines()
        outer = root.entries
        for entry, end in zip(outer, _ends(outer, len(lines)), strict=True):
            section = entry.key.text
            if section == "caddrel":
                continue
            if section in WITHOUT_IDS:
                found.setdefault((section,), _trimmed(0, lines, entry, end))
                continue
            inner = _entries(entry)
            for each, stop in zip(inner, _ends(inner, end), strict=True):
                found.setdefault((section, each.key.text), _trimmed(0, lines, each, stop))
        return Stand(flowing, found)
    return Stand(False, found)


def _ends(entries: AnySequence[Entry], end: int) -> list[int]:
    """Return the lines that entries end before; of none there are none."""
    return [*(entry.key.start.line for entry in entries[1:]), end][: len(entries)]


def _trimmed(source: int, lines: list[str], entry: Entry, end: int) -> _Found:
    """Return the lines of an entry; blank lines and comments before what follows belong to that."""
    first, indent = entry.key.start.line, entry.key.start.column
    last = end
    while last > first + 1:
        line = lines[last - 1]
        outside = line.lstrip().startswith("#") and len(line) - len(line.lstrip()) <= indent
        if line.strip() and not outside:
            break
        last -= 1
    return _Found(source, first, last, indent)


class Conflict(NamedTuple):
    """An object that two sides have changed differently; None where a side has taken it out."""

    path: Path
    mine: str | None
    theirs: str | None


def moved(
    base: AnySequence[Source],
    mine: AnySequence[Source],
    theirs: AnySequence[Source],
    taking: AnyMapping[str, str],
    stands: Stands | None = None,
) -> tuple[list[Source], list[Conflict]]:
    """Return documents with the changes that one side made to the base, made to the other side's documents.

    Parameters
    ----------
    taking
        By path, which side's object to take where both have changed it: ``mine`` or ``theirs``. Others are conflicts.
    """
    stands = Stands({}) if stands is None else stands
    before, ours, others = (objects_of(side, stands) for side in (base, mine, theirs))
    made, conflicts = [_as_blocks(source, stands) for source in theirs], []
    for path in dict.fromkeys((*ours, *before)):
        old, new, other = before.get(path), ours.get(path), others.get(path)
        if new in (old, other):
            continue
        choice = taking.get(".".join(path), "mine" if other == old else "")
        if choice == "mine":
            made = with_object(made, path, new, stands)
        elif choice != "theirs":
            conflicts.append(Conflict(path, new, other))
    return made, conflicts
