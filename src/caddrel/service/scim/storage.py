"""The inventory as a store of SCIM: what a directory says becomes people and groups, at once and audited.

A directory sees everybody that no other directory keeps, and keeps whomever it writes. Each write is one change of the
inventory, made to what it was read as.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from typing import Any

from scim2_models import (
    Group,
    InvalidFilterException,
    InvalidValueException,
    NotFoundException,
    PreconditionFailedException,
    Resource,
    ResourceType,
    ResponseParameters,
    SearchRequest,
    UniquenessException,
    User,
)
from scim2_server.storage import ScimStorage, SearchPage

from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.patch import is_off, with_member, without_member
from caddrel.core.words.pieces import counted
from caddrel.service.inventory.changes import Accepted, InventoryChanges
from caddrel.service.inventory.imports import Asked
from caddrel.service.problems import ServiceError
from caddrel.service.scim.resources import (
    MOST_FOUND,
    bare_tag,
    group_of,
    id_of,
    person_document,
    said_of,
    user_again,
    user_in_brief,
    user_of,
)
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.inventory import Stored
from caddrel.store.kept_by import KeptBy

LONGEST_FILTER, DEEPEST_FILTER = 1_000, 12
_BY_NAME = re.compile(r'^\s*(username|id|externalid|displayname)\s+eq\s+"((?:[^"\\]|\\.)*)"\s*$', re.IGNORECASE)
_NOUNS = {"User": "people", "Group": "groups"}


@dataclass
class InventoryStorage(ScimStorage):
    """People and groups for one directory.

    Attributes
    ----------
    keeper
        The name of its token.
    brief
        Whether of what is changed only the id and the version are asked for.
    whole
        Whether what is to be written was made of everything that is so here: what it does not say is taken away.
    """

    data: DataFolder
    inventory: InventoryChanges
    keeper: str
    brief: bool = False
    whole: bool = False
    _direct: tuple[Inventory, dict[str, list[str]]] | None = None

    # Reading.

    def get(
        self,
        resource_type: ResourceType,
        resource_id: str,
        *,
        response_parameters: ResponseParameters[Any] | None = None,
    ) -> Resource[Any]:
        """Return a person or a group."""
        noun = _NOUNS[str(resource_type.name)]
        return self._made(noun, *self._stored(noun, resource_id))

    def search(
        self, resource_types: list[ResourceType], search_request: SearchRequest[Any], *, position: Any = None
    ) -> SearchPage:
        """Return a page of people or groups."""
        wanted = search_request.filter
        text = str(wanted) if wanted is not None else ""
        if len(text) > LONGEST_FILTER or text.count("(") + text.count("[") > DEEPEST_FILTER:
            raise InvalidFilterException(detail="the filter is too long, or too deep")
        nouns = list(dict.fromkeys(_NOUNS[str(each.name)] for each in resource_types))
        named = _BY_NAME.match(text)
        if named is not None and not (named[2].isascii() and "\\" not in named[2]):
            # What the database cannot compare as the filter does is asked of each.
            named = None
        ids = {noun: self._named(noun, named[2]) if named is not None else self._seen(noun) for noun in nouns}
        found = [(noun, id) for noun in nouns for id in ids[noun]]
        start, count = search_request.start_index_0 or 0, search_request.count
        stop = start + min(MOST_FOUND if count is None else count, MOST_FOUND)
        if wanted is None and search_request.sort_by is None:
            return SearchPage(len(found), self._all(found[start:stop]))
        made = self._all(found)
        if wanted is not None:
            made = [each for each in made if wanted.match(each)]
        if search_request.sort_by is not None:
            backwards = search_request.sort_order == SearchRequest.SortOrder.descending
            keyed = [((value := search_request.sort_value(each)) is None, value or "", each.id or "") for each in made]
            order = sorted(range(len(made)), key=keyed.__getitem__, reverse=backwards)
            made = [made[at] for at in order]
        return SearchPage(len(made), made[start:stop])

    def _seen(self, noun: str) -> list[str]:
        """Return the ids of everything of a noun that this directory may see, in order."""
        keepers = self.data.kept_by.keepers(noun)
        return sorted(id for id in self._there(noun) if keepers.get(id, self.keeper) == self.keeper)

    def _named(self, noun: str, text: str) -> list[str]:
        """Return what may be called so, of what this directory may see: the rest is not made to be looked at.

        The filter is asked of each; what is left out has neither the id nor, of a directory, a name that is this. The
        database compares ASCII letters alone, which is all that the text holds: of others only the Kelvin sign is one
        to the filter and none to the database.
        """
        there, store = self._there(noun), self.data.kept_by
        ids = {*self.data.inventory.named(noun, text), *store.named(noun, text)}
        found = {id: store.get(noun, id) for id in ids if id in there}
        return sorted(id for id, kept in found.items() if kept is None or kept.keeper == self.keeper)

    def _there(self, noun: str) -> Mapping[str, Any]:
        found: Mapping[str, Any] = getattr(self.inventory.current(), noun)
        return found

    def _all(self, found: list[tuple[str, str]]) -> list[Resource[Any]]:
        made = []
        for noun, id in found:
            stored = self.data.inventory.get(noun, id)
            if stored is not None:
                made.append(self._made(noun, stored, self.data.kept_by.get(noun, id)))
        return made

    def _stored(self, noun: str, id: str) -> tuple[Stored, KeptBy | None]:
        kept = self.data.kept_by.get(noun, id)
        stored = self.data.inventory.get(noun, id)
        if stored is None or (kept is not None and kept.keeper != self.keeper):
            raise NotFoundException(detail=f"there is no {noun} {id[:100]}")
        return stored, kept

    def _made(self, noun: str, stored: Stored, kept: KeptBy | None) -> Resource[Any]:
        inventory, now = self.inventory.current(), self.data.clock()
        if noun == "people":
            return user_of(stored, kept, inventory, now)
        people, groups = self._members(stored.id)
        return group_of(stored, kept, people, groups, inventory)

    def _members(self, group: str) -> tuple[list[str], list[str]]:
        """Return who is a direct member of a group, for good, and which groups are."""
        inventory = self.inventory.current()
        if self._direct is None or self._direct[0] is not inventory:
            # Once for a whole page of groups.
            found: dict[str, list[str]] = {}
            for person in inventory.people.values():
                held = person.facts.get("person.groups")
                for each in held if isinstance(held, frozenset) else ():
                    found.setdefault(each, []).append(person.id)
            self._direct = inventory, found
        groups = [each.id for each in inventory.groups.values() if group in each.member_of]
        return sorted(self._direct[1].get(group, ())), sorted(groups)

    # Writing.

    def create(self, resource_type: ResourceType, resource: Resource[Any]) -> Resource[Any]:
        """Add a person or a group."""
        noun = _NOUNS[str(resource_type.name)]
        name = resource.user_name if isinstance(resource, User) else getattr(resource, "display_name", None)
        id = id_of(str(name or ""))
        if not id:
            raise InvalidValueException(detail="it has no name that an id can be made of")
        if self.data.inventory.get(noun, id) is not None:
            raise UniquenessException(detail=f"there is {id} already")
        return self._write(noun, id, resource, None, None)

    def update(
        self, resource_type: ResourceType, resource: Resource[Any], *, expected_version: str | None = None
    ) -> Resource[Any]:
        """Have a person or a group be as is said."""
        noun, id = _NOUNS[str(resource_type.name)], str(resource.id)
        stored, kept = self._stored(noun, id)
        self._check_version(noun, stored, kept, expected_version)
        return self._write(noun, id, resource, stored, kept)

    def delete(self, resource_type: ResourceType, resource_id: str, *, expected_version: str | None = None) -> None:
        """Take a person or a group out; whoever is in is put out."""
        noun, now = _NOUNS[str(resource_type.name)], self.data.clock()
        stored, kept = self._stored(noun, resource_id)
        self._check_version(noun, stored, kept, expected_version)
        if noun == "groups":
            self._hold(resource_id, None, lambda: ([], []))
        with self.inventory.together():
            note = _told(lambda: self.inventory.remove(noun, resource_id, stored.version, self._accepted, self.keeper))
            self.data.kept_by.remove(noun, resource_id)
            codes = self._end_codes(resource_id, now) if noun == "people" else ""
            self._audit(noun, resource_id, f"{note}{codes}", now)
            if noun == "people":
                self.inventory.afterwards(partial(self._end_sessions, resource_id, now))

    def _check_version(self, noun: str, stored: Stored, kept: KeptBy | None, expected: str | None) -> None:
        if expected is None:
            return
        meta = self._made(noun, stored, kept).meta
        if meta is None or bare_tag(meta.version) != bare_tag(expected):
            raise PreconditionFailedException

    @property
    def _accepted(self) -> str:
        # A directory cannot be asked: what would leave nobody able to administer is refused, and told.
        return ""

    def _write(
        self, noun: str, id: str, resource: Resource[Any], there: Stored | None, kept: KeptBy | None
    ) -> Resource[Any]:
        """Have somebody or a group be as is said, where there was this or nothing; return it as it is then."""
        now = self.data.clock()
        before = there.document if there is not None else {}
        keeps = KeptBy(noun, id, self.keeper, kept.created if kept else now, now, said_of(resource))
        # In one commit: were it two, somebody could be there whom no directory keeps.
        with self.inventory.together():
            if isinstance(resource, User):
                stored, note = self._write_person(id, resource, there, now)
            else:
                assert isinstance(resource, Group)
                named = {"id": id, **({"title": resource.display_name} if resource.display_name else {})}
                new = {**before, **named} != before
                note = self._hold(id, named if new else None, partial(self._wanted, resource))
                word = "changed" if before else "new"
                note = "; ".join(part for part in (f"{id}: {word}" if new else "", note) if part)
                stored = None
            self.data.kept_by.put(keeps)
            leaves = isinstance(resource, User) and resource.active is False and not is_off(before, now)
            if leaves:
                note = f"{id} is off{self._end_codes(id, now)}"
            elif isinstance(resource, User) and resource.active is True and is_off(before, now):
                note = f"{id} is back"
            if note:
                self._audit(noun, id, note, now)
            if leaves:
                self.inventory.afterwards(partial(self._end_sessions, id, now))
        if stored is None or not isinstance(resource, User):
            return self._made(noun, *self._stored(noun, id))
        if self.brief:
            return user_in_brief(resource, stored, keeps)
        return user_again(resource, stored, keeps, self.inventory.current(), self.data.clock())

    def _write_person(self, id: str, resource: User[Any], there: Stored | None, now: datetime) -> tuple[Stored, str]:
        before, seen = (there.document, there.version) if there is not None else ({}, 0)
        document = person_document(resource, before, id, now, whole=self.whole)
        if there is not None and document == before:
            return there, ""
        put = _told(lambda: self.inventory.put_one("people", document, seen, self._accepted, self.keeper))
        return put[0], put[1]

    def _wanted(self, group: Group) -> tuple[list[str], list[str]]:
        """Return which people and groups are to be members of a group, as a directory says."""
        wanted: tuple[list[str], list[str]] = ([], [])
        inventory = self.inventory.current()
        for member in group.members or ():
            value = str(member.value or "")
            nested = str(member.type or "").casefold() == "group" or (
                value not in inventory.people and value in inventory.groups
            )
            if value not in (inventory.groups if nested else inventory.people):
                raise InvalidValueException(detail=f"there is no member {value[:100]}")
            wanted[1 if nested else 0].append(value)
        return wanted

    def _moves(
        self, group: str, before: tuple[list[str], list[str]], wanted: tuple[list[str], list[str]]
    ) -> tuple[list[Asked], str]:
        """Return the changes that have a group hold other members, and what the audit trail says of them."""
        asked, said = list[Asked](), []
        inventory = self.inventory.current()
        for person in sorted(set(before[0]) ^ set(wanted[0])):
            joins = person in wanted[0]
            document = self._own("people", person)
            made = with_member(document, group) if joins else without_member(document, group)
            if made is not None:
                asked.append(("people", person, {"id": person, "groups": made["groups"]}))
                said.append(f"{'put' if joins else 'took'} {person} {'on' if joins else 'off'} {group}")
        within = inventory.closure([group]) if group in inventory.groups else frozenset()
        for inner in sorted(set(before[1]) ^ set(wanted[1])):
            joins = inner in wanted[1]
            if joins and (inner == group or inner in within):
                raise InvalidValueException(detail=f"{inner[:100]} cannot be within {group[:100]}, which is within it")
            held = [each for each in self._own("groups", inner).get("member_of", ()) if each != group]
            asked.append(("groups", inner, {"id": inner, "member_of": [*held, *([group] if joins else [])]}))
            said.append(f"{'put' if joins else 'took'} the group {inner} {'into' if joins else 'out of'} {group}")
        return asked, "; ".join(said)

    def _own(self, noun: str, id: str) -> Mapping[str, Any]:
        """Return the document of somebody whom this directory may change."""
        kept, stored = self.data.kept_by.get(noun, id), self.data.inventory.get(noun, id)
        if stored is None or (kept is not None and kept.keeper != self.keeper):
            raise InvalidValueException(detail=f"{id[:100]} is kept by another directory")
        return stored.document

    def _hold(
        self, group: str, named: Mapping[str, Any] | None, wanted: Callable[[], tuple[list[str], list[str]]]
    ) -> str:
        """Have a group hold other members; return what the audit trail says of it.

        In one change with the group itself: none of it where something is wrong with any of them. Made of people as
        they are while nobody else changes them: of what a feed puts them into at that moment nothing is lost.

        Parameters
        ----------
        named
            What is changed of the group itself; None for nothing.
        """
        said = ""

        def asked() -> list[Asked]:
            nonlocal said
            moves, said = self._moves(group, self._members(group), wanted())
            return [*([("groups", group, dict(named))] if named is not None else []), *moves]

        _told(lambda: self.inventory.take_in(asked, "patch", [], Accepted(self._accepted), self.keeper))
        return said

    def _end_codes(self, person: str, now: datetime) -> str:
        """End the starter codes of somebody who goes; return what the audit trail says of it."""
        codes = self.data.starter_codes.revoke_of(person, now)
        return f"; {counted(codes, 'starter code')} ended" if codes else ""

    def _end_sessions(self, person: str, now: datetime) -> None:
        """End the sessions of somebody who is gone by now: those are kept in another file.

        Were it cut off in between, they end when they are decided again for what has changed.
        """
        ended = self.data.door_sessions.end_of(person, now, f"directory {self.keeper}")
        if ended:
            self._audit("people", person, f"{person}: {counted(ended, 'session')} ended", now)

    def _audit(self, noun: str, id: str, note: str, now: datetime) -> None:
        path = f"/scim/v2/{'Users' if noun == 'people' else 'Groups'}/{id}"
        self.data.audit.add(now, f"directory {self.keeper}", "wrote", path[:300], "done", note[:1000])


def _told(change: Callable[[], Any]) -> Any:
    """Make a change; what refuses it is told as SCIM has it."""
    try:
        return change()
    except ServiceError as refused:
        if refused.code == "object-changed":
            raise PreconditionFailedException from None
        said = "; ".join([refused.title, *(error.message for error in refused.errors[:3])])
        if refused.status == 404:
            raise NotFoundException(detail=said) from None
        if refused.code == "lockout-risk":
            raise UniquenessException(detail=said) from None
        raise InvalidValueException(detail=said) from None
