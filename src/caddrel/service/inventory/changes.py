"""Changing the inventory: one change after another, each refused that would leave nobody able to administer.

Not here: reading objects (`core.inventory.reader`), and the index that decisions look into (`state.inventory_cache`).
"""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from typing import Any

from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.values import show_moment
from caddrel.core.inventory.consistency import inconsistencies
from caddrel.core.inventory.index import NOUNS, ONE_OF, Inventory
from caddrel.core.inventory.reader import InventoryReader, read_object
from caddrel.service.inventory import audit_note
from caddrel.service.inventory.administrators import UNCHANGED, Administrators
from caddrel.service.inventory.imports import Asked, How, ImportPlan, plan, too_many_go
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.inventory import Moved, Stored

Document = Mapping[str, Any]
# Who may change what a directory keeps: feeds, about facts that no directory knows.
ANYBODY = "*"
KEPT_NOUNS = ("people", "groups")


@dataclass(frozen=True, slots=True)
class Accepted:
    """What is accepted with an import: that nobody could administer after it, for a reason; that so many go."""

    lockout: str = ""
    removals: int = 0


@dataclass(slots=True)
class _Within:
    """What a thread changes together, and has not committed yet.

    Attributes
    ----------
    before, after
        The inventory that is committed, and what the changes make of it.
    first, last
        The numbers of the first and the last of them: none and that of what is committed, where there are none.
    unknown
        Whether what they make of it is not known, but to be read once it is committed.
    afterwards
        What is done once it is.
    """

    thread: int
    before: Inventory
    after: Inventory
    last: int
    first: int | None = None
    unknown: bool = False
    afterwards: list[Callable[[], None]] = field(default_factory=list)


class InventoryChanges:
    """Changes the inventory; one for the whole service."""

    def __init__(self, data: DataFolder) -> None:
        self._data = data
        self._administrators = Administrators(data)
        # Held from looking at who could still administer until the change is written: of two who take out one another
        # at the same moment, the second is refused.
        self._changing = threading.RLock()
        self._within: _Within | None = None

    @contextmanager
    def together(self) -> Iterator[None]:
        """Commit changes of the inventory at once with what else is kept in the same file, or nothing of it.

        Nobody else changes the inventory meanwhile; that is waited for first, and then the file, as all others do. One
        within another is a part of its commit: of one that fails nothing is left, and the rest of it stays.
        """
        with self._changing:
            if self._within is not None:
                with self._part(self._within):
                    yield
                return
            try:
                with self._data.inventory.together():
                    there = self._data.inventories.current()
                    last = self._data.inventory.last_version()
                    self._within = _Within(threading.get_ident(), there, there, last)
                    yield
                done = self._within
                if done.first is not None and not done.unknown:
                    self._data.inventories.follow(done.before, done.first, done.last, done.after)
            finally:
                self._within = None
            for call in done.afterwards:
                call()

    @contextmanager
    def _part(self, within: _Within) -> Iterator[None]:
        there = replace(within, afterwards=[*within.afterwards])
        try:
            with self._data.inventory.part():
                yield
        except BaseException:
            self._within = there
            raise

    def afterwards(self, call: Callable[[], None]) -> None:
        """Do something once what is done together is committed, and only then; at once where nothing is."""
        if self._within is not None and self._within.thread == threading.get_ident():
            self._within.afterwards.append(call)
        else:
            call()

    def current(self) -> Inventory:
        """Return the index of the inventory as it is now; with what this thread has changed and not committed yet."""
        within = self._within
        if within is None or within.thread != threading.get_ident():
            return self._data.inventories.current()
        assert not within.unknown, "many objects were taken in, and what they made of the inventory is to be read"
        return within.after

    def _changed(self, version: int, after: Inventory) -> None:
        """Take note of what a change has made of the inventory, and of its number; it is one of this thread's."""
        assert self._within is not None
        # An object that was so already has an earlier one's.
        if version > self._within.last:
            self._within.first = version if self._within.first is None else self._within.first
            self._within.last, self._within.after = version, after

    @contextmanager
    def _change(self) -> Iterator[None]:
        """Commit one change; with what it is made together with, which it ends when it fails."""
        with self._changing, contextlib.nullcontext() if self._within is not None else self.together():
            yield

    def take_in(
        self,
        asked: Sequence[Asked] | Callable[[], Sequence[Asked]],
        how: How,
        nouns: Collection[str],
        accepted: Accepted,
        keeper: str = "",
    ) -> ImportPlan:
        """Take in many objects; return what was changed.

        Parameters
        ----------
        asked
            The objects; or what makes them of the inventory as it is, while nobody else changes it.
        nouns
            Those that it is the full list of, where it is one.
        keeper
            As in `put_one`.

        Raises
        ------
        ServiceError
            When something is wrong with it, more would go than was accepted, or nobody could administer after it.
        """
        with self._changing:
            # Made of what is committed.
            assert self._within is None or self._within.first is None, "something else was changed first"
            while True:
                made = plan(self._data, asked() if callable(asked) else asked, how, nouns)
                for refuse in self._refusing(made, accepted, keeper):
                    refuse()
                try:
                    self._data.inventory.apply(made.puts, made.gone, self._data.clock(), made.seen)
                except Moved:
                    # A device has reported its state in between: its object is read again.
                    continue
                if self._within is not None:
                    self._within.unknown = True
                return made

    def would_refuse(self, made: ImportPlan, accepted: Accepted) -> list[Diagnostic]:
        """Return why a plan would not be carried out, for whoever only looks at it."""
        found = []
        for refuse in self._refusing(made, accepted, ""):
            try:
                refuse()
            except ServiceError as refused:
                said = refused.title.removesuffix(UNCHANGED)
                found.append(Diagnostic(refused.code, f"this would be refused: {said}", refused.hint))
        return found

    def _refusing(self, made: ImportPlan, accepted: Accepted, keeper: str) -> tuple[Callable[[], None], ...]:
        return (
            lambda: self._held_back(made, accepted),
            lambda: self._refuse_all_kept(made, keeper),
            lambda: self._refuse_lockout(made, accepted),
        )

    def _refuse_lockout(self, made: ImportPlan, accepted: Accepted) -> None:
        entries, gone, before = made.entries, made.gone, self._data.inventories.current()
        touched = [noun for noun in NOUNS if entries.get(noun) or gone.get(noun)]
        self._administrators.check(before, before.replaced(Inventory(**entries), gone), touched, accepted.lockout)

    def _held_back(self, made: ImportPlan, accepted: Accepted) -> None:
        for noun in too_many_go(made):
            count = len(made.gone[noun])
            if count > accepted.removals:
                hint = f"see what would go with dry_run=yes; to have it so: accept_removals={count}"
                said = f"{count} {noun} would go, as the list does not name them{UNCHANGED}"
                raise ServiceError(409, "too-many-go", said, hint)

    def change(
        self,
        noun: str,
        id: str,
        make: Callable[[Document], Document | None],
        seen: int | None,
        accepted: str,
        keeper: str = "",
    ) -> tuple[Stored, str]:
        """Change an object by what it is; return it as it is then, with what the audit trail says of it.

        Parameters
        ----------
        make
            Gives the object as it is to be, from what it is; None where nothing is to be done.
        seen
            As in `put_one`.

        Raises
        ------
        ServiceError
            When it is not there, or wrong afterwards, or has changed since it was seen.
        """
        while True:
            there = self._data.inventory.get(noun, id)
            if there is None:
                raise not_found(f"{ONE_OF[noun]} `{shorten(id)}`", f"see GET /api/v1/{noun}?search=…")
            if seen is not None and seen != there.version:
                raise _moved(noun, Moved(there))
            made = make(there.document)
            if made is None:
                return there, ""
            try:
                return self.put_one(noun, made, there.version, accepted, keeper)
            except ServiceError as refused:
                # Somebody else was quicker: what they did stays, and this is done to that.
                if refused.code != "object-changed" or seen is not None:
                    raise

    def put_one(
        self, noun: str, document: Document, seen: int | None, accepted: str, keeper: str = ""
    ) -> tuple[Stored, str]:
        """Add or replace one object; return it with what the audit trail says of it.

        Parameters
        ----------
        seen
            The version that the caller has seen, 0 for none; None for whatever is there.
        keeper
            The directory that changes it, or `ANYBODY`: what another keeps is not changed here.

        Raises
        ------
        ServiceError
            When it is wrong, or has changed since it was seen.
        """
        reader = InventoryReader()
        made = read_object(reader, noun, dict(document), str(document.get("id", "")) or noun)
        if reader.problems or made is None:
            raise ServiceError(422, "bad-inventory", "the object is wrong; nothing was changed", "", reader.problems)
        kept = {key: value for key, value in document.items() if value is not None}
        with self._change():
            self._refuse_kept(noun, made.id, keeper)
            before = self.current()
            only: dict[str, Any] = {noun: [made]}
            after = before.replaced(Inventory(**only))
            wrong = [e for e in inconsistencies(before, after, {noun: [made]}, {}) if e.severity == "error"]
            if wrong:
                raise ServiceError(422, "bad-inventory", f"{wrong[0].message}; nothing was changed", "", wrong)
            self._administrators.check(before, after, [noun], accepted)
            note = audit_note.of_entries(before, noun, [made])
            try:
                stored = self._data.inventory.put_one(noun, kept, self._data.clock(), seen)
            except Moved as moved:
                raise _moved(noun, moved) from None
            self._changed(stored.version, after)
            return stored, note

    def remove(self, noun: str, id: str, seen: int | None, accepted: str, keeper: str = "") -> str:
        """Take an object out; return what the audit trail says of it.

        Raises
        ------
        ServiceError
            When it is not there, or has changed since it was seen.
        """
        with self._change():
            self._refuse_kept(noun, id, keeper)
            before = self.current()
            after = before.replaced(Inventory(), {noun: [id]})
            self._administrators.check(before, after, [noun], accepted)
            note = audit_note.removed(before, noun, id)
            try:
                version = self._data.inventory.remove(noun, id, self._data.clock(), seen)
            except Moved as moved:
                raise _moved(noun, moved) from None
            if version is None:
                raise not_found(f"{ONE_OF[noun]} `{shorten(id)}`", f"see GET /api/v1/{noun}?search=…")
            self._changed(version, after)
        return note

    def _refuse_kept(self, noun: str, id: str, keeper: str) -> None:
        kept = self._data.kept_by.get(noun, id) if keeper != ANYBODY else None
        if kept is not None and kept.keeper != keeper:
            hint = f"change it there, or take it from {kept.keeper} first"
            raise ServiceError(409, "kept-by-directory", f"{shorten(id)} is kept by the directory {kept.keeper}", hint)

    def _refuse_all_kept(self, made: ImportPlan, keeper: str) -> None:
        """Refuse an import that changes what a directory keeps; what it leaves as it is it may name."""
        for noun in KEPT_NOUNS if keeper != ANYBODY else ():
            touched = [*made.changed.get(noun, ()), *made.gone.get(noun, ())]
            keepers = self._data.kept_by.keepers(noun) if touched else {}
            kept = [id for id in touched if keepers.get(id, keeper) != keeper]
            if kept:
                few = ", ".join(map(shorten, kept[:3])) + (f" and {len(kept) - 3} more" if len(kept) > 3 else "")
                who = ", ".join(sorted({keepers[id] for id in kept}))
                raise ServiceError(
                    409, "kept-by-directory", f"{few}: kept by the directory {who}{UNCHANGED}",
                    "change it there, or leave these out",
                )  # fmt: skip

    def report(self, device: str, state: Document) -> Stored:
        """Take in what a device says of its own state; it counts from the next decision on."""
        now = self._data.clock()
        reader = InventoryReader()
        read_object(reader, "devices", {"id": device, **state}, "state")
        if reader.problems:
            raise ServiceError(422, "bad-inventory", "the state is wrong; nothing was taken in", "", reader.problems)
        stored = self._data.inventory.merge("devices", device, {**state, "state_at": show_moment(now)}, now)
        if stored is None:
            raise not_found(f"device `{shorten(device)}`")
        return stored


def _moved(noun: str, moved: Moved) -> ServiceError:
    there = moved.there
    if there is None:
        return ServiceError(412, "object-changed", f"the {ONE_OF[noun]} is not there any more", "read it again")
    hint = f"it has version {there.version} now: read it again, and make your change to that"
    return ServiceError(412, "object-changed", f"the {ONE_OF[noun]} was changed in between", hint)
