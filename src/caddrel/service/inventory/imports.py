"""Taking in many objects of the inventory: what an import would change, before it changes anything.

By default an object is changed where the import names something of it; it may be replaced whole, or the import be the
full list of its nouns, so that what it does not name goes.
Not here: carrying a plan out (`inventory.changes`), and what comes of it for people (`inventory.outcomes`).
"""

from __future__ import annotations

import io
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, BinaryIO, Literal

import msgspec

from caddrel.core.diagnostics import Diagnostic, did_you_mean, shorten
from caddrel.core.inventory.consistency import MOST_TOLD, inconsistencies
from caddrel.core.inventory.csv_table import TableRefused, read_table
from caddrel.core.inventory.index import NOUNS, Inventory
from caddrel.core.inventory.patch import patched
from caddrel.core.inventory.reader import InventoryReader, read_object
from caddrel.service.problems import ServiceError
from caddrel.service.state.data_folder import DataFolder

How = Literal["patch", "replace", "sync"]
HOW: tuple[How, ...] = ("patch", "replace", "sync")
MOST_OBJECTS = 500_000
# Of a full list so many may go without a word: more than a tenth, and more than these, is rather a file cut short.
FEW_GO = 10
# What is looked at: noun, its place in what was sent, and the object as it was sent.
Asked = tuple[str, str, Any]
# A line that could not be read.
NOT_JSON = object()
# So much of a body is taken at a time.
PIECE = 1 << 16


@dataclass(slots=True)
class ImportPlan:
    """What an import would change.

    Attributes
    ----------
    puts, entries
        By noun the documents that are added or changed, and the same objects as read.
    added, changed, gone
        By noun the ids.
    warnings
        What is told, and does not stand in the way.
    seen
        The version of the inventory that it was made for.
    before, after
        The inventory without it and with it.
    """

    puts: dict[str, list[dict[str, Any]]] = field(default_factory=dict)
    entries: dict[str, list[Any]] = field(default_factory=dict)
    added: dict[str, list[str]] = field(default_factory=dict)
    changed: dict[str, list[str]] = field(default_factory=dict)
    gone: dict[str, list[str]] = field(default_factory=dict)
    warnings: list[Diagnostic] = field(default_factory=list)
    seen: int = 0
    before: Inventory = field(default_factory=Inventory)
    after: Inventory = field(default_factory=Inventory)

    def count(self, of: Mapping[str, Collection[str]]) -> int:
        """Return the number of ids in an import, people, groups, devices, apps and lists together."""
        return sum(map(len, of.values()))


def read_lines(data: DataFolder, noun: str, stream: BinaryIO, form: str) -> list[Asked]:
    """Return the objects of a noun as they were sent: NDJSON, or CSV.

    Raises
    ------
    ServiceError
        When a line is too long or none, there are too many, or a table cannot be read.
    """
    if form == "csv":
        return _read_csv(data, noun, stream)
    most = data.limits.rulebook if noun == "lists" else data.limits.line
    # The body of a request cannot be looked ahead into: of itself it is read for lines a byte at a time.
    buffered = io.BufferedReader(stream, PIECE)  # type: ignore[type-var]  # it is read as a raw stream
    try:
        return _read_lines(noun, buffered, most)
    finally:
        buffered.detach()


def _read_lines(noun: str, stream: BinaryIO, most: int) -> list[Asked]:
    found: list[Asked] = []
    number = 0
    while line := stream.readline(most + 1):
        number += 1
        if len(line) > most:
            raise ServiceError(413, "too-large", f"line {number} has more than {most} bytes")
        if not line.strip():
            continue
        try:
            found.append((noun, f"line {number}", msgspec.json.decode(line)))
        except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
            # Said with what is wrong with the others.
            found.append((noun, f"line {number}", NOT_JSON))
        if len(found) > MOST_OBJECTS:
            raise _too_many()
    return found


def _read_csv(data: DataFolder, noun: str, stream: BinaryIO) -> list[Asked]:
    text = stream.read(data.limits.rulebook * 8 + 1)
    if len(text) > data.limits.rulebook * 8:
        raise ServiceError(413, "too-large", f"a table has at most {data.limits.rulebook * 8} bytes", "send NDJSON")
    found: list[Asked] = []
    try:
        for place, document in read_table(noun, text.decode()):
            found.append((noun, place, document))
            if len(found) > MOST_OBJECTS:
                raise _too_many()
    except TableRefused as refused:
        raise _refused(refused.problems) from None
    except UnicodeDecodeError:
        raise _refused([Diagnostic("not-text", "the table is no text in UTF-8")]) from None
    return found


def read_whole(data: DataFolder, stream: BinaryIO) -> list[Asked]:
    """Return the objects of a whole inventory, as `--inventory` takes it: JSON with a list for each noun."""
    most = data.limits.rulebook * 8
    text = stream.read(most + 1)
    if len(text) > most:
        raise ServiceError(413, "too-large", f"an inventory has at most {most} bytes here", "import it noun by noun")
    try:
        document = msgspec.json.decode(text)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        raise _refused([Diagnostic("not-json", "the inventory is not JSON in UTF-8")]) from None
    if not isinstance(document, dict):
        hint = f"an object with {', '.join(NOUNS)}, each a list"
        raise _refused([Diagnostic("wrong-type", "an inventory is an object", hint)])
    found: list[Asked] = []
    for noun, items in document.items():
        if noun not in NOUNS or not isinstance(items, list):
            hint = did_you_mean(noun, NOUNS, f"there are {', '.join(NOUNS)}, each a list")
            raise _refused([Diagnostic("unknown-key", f"an inventory has no list `{shorten(noun)}`", hint, path=noun)])
        found += ((noun, f"{noun}[{place}]", item) for place, item in enumerate(items))
    return found


def plan(data: DataFolder, asked: Sequence[Asked], how: How, nouns: Iterable[str]) -> ImportPlan:
    """Return what an import would change.

    Parameters
    ----------
    nouns
        Those that it is the full list of, where it is one.

    Raises
    ------
    ServiceError
        When an object is wrong, or what there would be does not fit together.
    """
    made = ImportPlan(seen=data.inventory.version(), before=data.inventories.current())
    reader = InventoryReader()
    for noun in NOUNS:
        mine = [(place, item) for each, place, item in asked if each == noun]
        if not mine and not (how == "sync" and noun in nouns):
            continue
        ids = {item["id"] for _, item in mine if isinstance(item, dict) and isinstance(item.get("id"), str)}
        there, version = data.inventory.documents(noun, None if how == "sync" else ids)
        made.seen = min(made.seen, version)
        _noun(made, reader, noun, mine, there, how)
        if how == "sync" and noun in nouns:
            made.gone[noun] = sorted(set(there) - ids)
    if reader.problems:
        raise _refused(reader.problems)
    changed = Inventory(**made.entries)
    made.after = made.before.replaced(changed, made.gone)
    found = inconsistencies(made.before, made.after, made.entries, made.gone)
    wrong = [each for each in found if each.severity == "error"]
    if wrong:
        raise _refused(wrong)
    made.warnings = found[:MOST_TOLD]
    return made


def _noun(
    made: ImportPlan,
    reader: InventoryReader,
    noun: str,
    mine: Sequence[tuple[str, Any]],
    there: Mapping[str, dict[str, Any]],
    how: How,
) -> None:
    """Add to a plan what becomes of the objects of one noun; of one that is named twice the last counts."""
    documents: dict[str, dict[str, Any]] = {}
    places: dict[str, str] = {}
    for place, item in mine:
        if item is NOT_JSON:
            reader.say(place, "not-json", "the line is not JSON in UTF-8")
            continue
        id = item.get("id") if isinstance(item, dict) else None
        if not isinstance(id, str):
            read_object(reader, noun, item, place)
            continue
        present = documents.get(id) or there.get(id)
        documents[id] = patched(present if how == "patch" else None, item)
        places[id] = place
    for id, document in documents.items():
        if there.get(id) == document:
            continue
        entry = read_object(reader, noun, document, places[id])
        if entry is not None:
            made.puts.setdefault(noun, []).append(document)
            made.entries.setdefault(noun, []).append(entry)
            (made.changed if id in there else made.added).setdefault(noun, []).append(id)


def too_many_go(made: ImportPlan) -> Iterator[str]:
    """Yield the nouns of which more would go than a full list takes out without a word."""
    for noun, ids in made.gone.items():
        if len(ids) > max(FEW_GO, len(getattr(made.before, noun)) // 10):
            yield noun


def _refused(problems: Sequence[Diagnostic]) -> ServiceError:
    title = f"{len(problems)} {'thing is' if len(problems) == 1 else 'things are'} wrong; nothing was taken in"
    return ServiceError(422, "bad-inventory", title, "mend them and send all again", list(problems[:MOST_TOLD]))


def _too_many() -> ServiceError:
    return ServiceError(413, "too-large", f"at most {MOST_OBJECTS} objects at once")
