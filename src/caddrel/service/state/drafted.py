"""Documents of drafts, read: asked again at every key typed and at every look, mostly of the same few.

Not here: drafts themselves (`store.drafts`), and what may be done with them (`rulebooks.drafts`).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from caddrel.core.cases.reads import Reads, reads
from caddrel.core.rulebook.edit.objects import Path, Stands, objects_of
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import ReadResult, read_rulebook
from caddrel.core.rulebook.references import Ref, Users, where_used
from caddrel.core.rulebook.source import Source
from caddrel.service.state.caches import ByObject, Cache, Caches

Files = tuple[tuple[str, str], ...]
MOST_DOCUMENTS = 24
MOST_OBJECTS = 64
MOST_PARTS = 32
MOST_RULEBOOKS = 4


class Drafted:
    """What documents come to, each read once while it is at hand.

    Attributes
    ----------
    stands
        Where objects stand in documents, for who edits them.
    """

    def __init__(self, caches: Caches) -> None:
        self.stands = Stands(caches.make("stands", MOST_DOCUMENTS))
        self._objects: Cache[Files, Mapping[Path, str]] = caches.make("draft-objects", MOST_OBJECTS)
        self._read: Cache[Files, Rulebook | None] = caches.make("draft-rulebooks", MOST_RULEBOOKS)
        self._parts: Cache[str, ReadResult] = caches.make("draft-parts", MOST_PARTS)
        self._reads: ByObject[Rulebook, Reads] = ByObject(caches.make("policy-reads", MOST_RULEBOOKS))
        self._users: ByObject[Rulebook, dict[Ref, list[Ref]]] = ByObject(caches.make("where-used", MOST_RULEBOOKS))

    def objects(self, files: Files) -> Mapping[Path, str]:
        """Return the objects of documents."""
        return self._objects.once(files, lambda: objects_of(sources(files), self.stands))

    def rulebook(self, files: Files) -> Rulebook | None:
        """Return the rulebook of documents, None while it has errors."""
        return self._read.once(files, lambda: read_rulebook(sources(files)).rulebook)

    def parts(self, document: str) -> ReadResult:
        """Return what a document of some objects comes to."""
        return self._parts.once(document, lambda: read_rulebook(Source("draft", document)))

    def users(self, rulebook: Rulebook) -> Users:
        """Return for every part of a rulebook the objects that name it."""
        return self._users.once(rulebook, where_used)

    def reads(self, rulebook: Rulebook) -> Reads:
        """Return what the enforced policies of a rulebook read; whoever adds to it takes a copy."""
        return self._reads.once(rulebook, reads)


def sources(files: Sequence[tuple[str, str]]) -> list[Source]:
    """Return documents as the core reads them."""
    return [Source(name, text) for name, text in files]
