"""Which changes turned a kept rehearsal: those without which it would still come out as it must.

Each change is taken back for itself; where none alone does it, as many as it takes.
Not here: what a rehearsal comes to (`core.lint.rehearsals`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence

from caddrel.core.diagnostics import RulebookError
from caddrel.core.lint.rehearsals import Kept, judged
from caddrel.core.rulebook.edit.objects import Path, objects_of, with_object
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.service.state.context import State
from caddrel.service.state.drafted import sources

# Each change is read and decided without: of so many changes, for so many rehearsals, at most.
MOST_CHANGES = 40
MOST_REHEARSALS = 10
# Bytes; each change taken back has the whole read again.
LARGEST = 64 * 1024


def turned(
    state: State, base: int | None, files: Sequence[tuple[str, str]], failing: Iterable[Kept]
) -> Mapping[str, list[str]]:
    """Return for failing rehearsals the objects whose changes made them fail; empty where that cannot be told.

    Parameters
    ----------
    base
        The revision that was changed; the current one when None.
    """
    # Of a draft that was begun before the first revision, which is 0, nothing turned anything.
    published = state.rulebooks.current() if base is None else state.rulebooks.get(base) if base else None
    wanted = list(failing)[:MOST_REHEARSALS]
    if published is None or not wanted or sum(len(text) for _, text in files) > LARGEST:
        return {}
    now = sources(files)
    before, after = objects_of(sources(published.revision.files)), objects_of(now)
    changed = [path for path in dict.fromkeys((*after, *before)) if before.get(path) != after.get(path)]
    if not changed or len(changed) > MOST_CHANGES:
        return {}
    without = _Without(now, before)
    inventory = state.inventories.current()
    found = {}
    for kept in wanted:

        def mended(paths: Sequence[Path], kept: Kept = kept) -> bool:
            rulebook = without(paths)
            rehearsal = rulebook.rehearsals.get(kept.rehearsal.id) if rulebook is not None else None
            return rulebook is not None and rehearsal is not None and judged(rehearsal, rulebook, inventory).ok

        found[kept.rehearsal.id] = [".".join(path) for path in _guilty(changed, mended)]
    return found


def _guilty(changed: Sequence[Path], mended: Callable[[Sequence[Path]], bool]) -> list[Path]:
    """Return the changes each of which alone turned it; else the fewest that were found to do so together."""
    alone = [path for path in changed if mended([path])]
    if alone or not mended(changed):
        return alone
    together = list(changed)
    for path in changed:
        rest = [each for each in together if each != path]
        if mended(rest):
            together = rest
    return together


class _Without:
    """Rulebooks in which some changes are taken back; None where the rest cannot be read without them."""

    def __init__(self, now: list[Source], before: Mapping[Path, str]) -> None:
        self._now, self._before = now, before
        self._made: dict[tuple[Path, ...], Rulebook | None] = {}

    def __call__(self, paths: Sequence[Path]) -> Rulebook | None:
        key = tuple(paths)
        if key not in self._made:
            self._made[key] = self._read(key)
        return self._made[key]

    def _read(self, paths: tuple[Path, ...]) -> Rulebook | None:
        documents = self._now
        try:
            for path in paths:
                documents = with_object(documents, path, self._before.get(path))
        except RulebookError:
            return None
        return read_rulebook(documents).rulebook
