"""People and groups of the inventory as resources of SCIM, and back."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from pydantic import Field
from scim2_models import (
    URN,
    AuthenticationScheme,
    Bulk,
    ChangePassword,
    ComplexAttribute,
    EnterpriseUser,
    ETag,
    Extension,
    Filter,
    Group,
    GroupMembership,
    Meta,
    Patch,
    Resource,
    ResourceType,
    ScimProvider,
    ServiceProviderConfig,
    Sort,
    User,
)

from caddrel.core.facts.catalogue import FACTORS, KINDS
from caddrel.core.inventory.csv_table import attribute_text, attribute_value
from caddrel.core.inventory.index import Entry, Inventory
from caddrel.core.inventory.index import Group as GroupEntry
from caddrel.core.inventory.patch import not_off, off_now
from caddrel.service.state.limits import Limits
from caddrel.store.inventory import Stored
from caddrel.store.kept_by import KeptBy

MOST_FOUND = 500
# Of changes in one message: whoever else changes the inventory waits for them.
MOST_AT_ONCE = 200
# Of what nobody has kept until now there is no moment at which it was made.
_LONG_AGO = datetime(2000, 1, 1, tzinfo=UTC)
_OWN = ("kind", "unit", "roles", "factors")
_NO_ID = re.compile(r"[^a-z0-9._@-]+")


class OwnAttribute(ComplexAttribute):
    """An attribute of one's own."""

    name: str | None = None
    """As the rulebook has it behind person.attributes."""

    value: str | None = None
    """Its value: yes and no, a number or a JSON list as such, anything else as text."""


class Person(Extension):
    """What policies ask of a person that a User has no place for."""

    __schema__ = URN("urn:caddrel:params:scim:schemas:1.0:Person")

    # The schema tells directories to write what is given as examples; of kinds and factors others are refused.
    kind: str | None = Field(default=None, examples=[*KINDS])
    """employee, contractor, guest or service."""

    unit: str | None = Field(default=None, examples=["/fleet/deck"])
    """The unit, as a path."""

    roles: list[str] | None = None
    """Roles, by their ids."""

    factors: list[str] | None = Field(default=None, examples=[*FACTORS])
    """What somebody can prove themselves with."""

    attributes: list[OwnAttribute] | None = None
    """Attributes of one's own; all of them, where any is said."""


class Manager(ComplexAttribute):
    """Whom somebody answers to; by the id that a directory has for them, which is nobody's here."""

    value: str | None = None
    """Their id."""

    ref: str | None = Field(None, serialization_alias="$ref", validation_alias="$ref")
    """Their address in the directory."""

    display_name: str | None = None
    """Their name."""


class Enterprise(EnterpriseUser):
    """The extension for an enterprise's people (RFC 7643, section 4.3); many directories name managers by id alone."""

    manager: Manager | None = None  # type: ignore[assignment]
    """Whom somebody answers to."""


# What directories say of an enterprise's people is kept for them, and nothing here asks of it.
PersonUser = User[Person | Enterprise]


def provider() -> ScimProvider:
    """Return what this service offers: no passwords."""
    token = AuthenticationScheme(
        type=AuthenticationScheme.Type.oauthbearertoken,
        name="Token of a directory",
        description="A token of the role `directory`, as `Authorization: Bearer …`",
        primary=True,
    )
    config = ServiceProviderConfig(
        patch=Patch(supported=True),
        bulk=Bulk(supported=True, max_operations=MOST_AT_ONCE, max_payload_size=Limits().body),
        filter=Filter(supported=True, max_results=MOST_FOUND),
        change_password=ChangePassword(supported=False),
        sort=Sort(supported=True),
        etag=ETag(supported=True),
        authentication_schemes=[token],
    )
    types = [ResourceType.from_resource(PersonUser), ResourceType.from_resource(Group)]
    return ScimProvider([User, Person, Enterprise, Group], types, config)


def id_of(name: str) -> str:
    """Return the id that somebody or a group has by their name in a directory."""
    return _NO_ID.sub("-", name.strip().lower()).strip("-")[:200]


def user_of(stored: Stored, kept: KeptBy | None, inventory: Inventory, now: datetime) -> User[Person | Enterprise]:
    """Return a person as a User: what the directory says, and over it what is so here."""
    said = dict(kept.document) if kept is not None else {}
    said.setdefault("userName", stored.id)
    return _as_it_is(PersonUser.model_validate(said), stored, kept, inventory, now)


def user_again(
    resource: User[Person | Enterprise], stored: Stored, kept: KeptBy, inventory: Inventory, now: datetime
) -> User[Person | Enterprise]:
    """Return what `user_of` does, of what a directory has said just now: reading that once more takes half a write."""
    return _as_it_is(resource.model_copy(update={"password": None}), stored, kept, inventory, now)


def user_in_brief(resource: User[Person | Enterprise], stored: Stored, kept: KeptBy) -> User[Person | Enterprise]:
    """Return what a directory has said just now, with no more of what is so here than the id and the version."""
    return resource.model_copy(update={"id": stored.id, "meta": _meta("User", stored, kept)})


def _as_it_is(
    found: User[Person | Enterprise], stored: Stored, kept: KeptBy | None, inventory: Inventory, now: datetime
) -> User[Person | Enterprise]:
    """Put what is so here over what a directory says."""
    document = stored.document
    found.id = stored.id
    enterprise = [str(Enterprise.__schema__)] if found[Enterprise] is not None else []
    found.schemas = [str(User.__schema__), str(Person.__schema__), *enterprise]
    if document.get("title") and found.display_name is None:
        found.display_name = document["title"]
    entry = inventory.people.get(stored.id)
    found.active = entry is None or not entry.is_off(now)
    own = {key: document[key] for key in _OWN if document.get(key)}
    if document.get("attributes"):
        own["attributes"] = [{"name": k, "value": attribute_text(v)} for k, v in document["attributes"].items()]
    found[Person] = Person.model_validate(own)
    groups = [each for each in document.get("groups", ()) if isinstance(each, str)]
    found.groups = [
        GroupMembership.model_validate(
            {**_called(inventory.groups.get(group)), "value": group, "$ref": f"Groups/{group}", "type": "direct"}
        )
        for group in groups
    ] or None
    found.meta = _meta("User", stored, kept)
    return found


def group_of(stored: Stored, kept: KeptBy | None, people: list[str], groups: list[str], inventory: Inventory) -> Group:
    """Return a group as a Group, with its members."""
    said = dict(kept.document) if kept is not None else {}
    said |= {"schemas": [str(Group.__schema__)], "id": stored.id}
    said.setdefault("displayName", stored.document.get("title") or stored.id)
    said["members"] = [
        *({**_called(inventory.people.get(id)), "value": id, "$ref": f"Users/{id}", "type": "User"} for id in people),
        *({**_called(inventory.groups.get(id)), "value": id, "$ref": f"Groups/{id}", "type": "Group"} for id in groups),
    ]
    found = Group.model_validate(said)
    # Who is in it stands with them: the group's own version does not tell of it.
    members = hashlib.sha256("\n".join([*people, "", *groups]).encode()).hexdigest()[:12]
    found.meta = _meta("Group", stored, kept, f"-{members}")
    return found


def _called(there: Entry | GroupEntry | None) -> dict[str, str]:
    """Return what somebody or a group is called, where they are called anything."""
    return {"display": there.title} if there is not None and there.title else {}


def _meta(kind: str, stored: Stored, kept: KeptBy | None, beside: str = "") -> Meta:
    return Meta(
        resource_type=kind,
        created=kept.created if kept is not None else _LONG_AGO,
        last_modified=kept.changed if kept is not None else _LONG_AGO,
        version=f'W/"{stored.version}{beside}"',
    )


def bare_tag(tag: str | None) -> str:
    """Return a tag without what says that it is weak, and its quotes."""
    return (tag or "").removeprefix("W/").strip('"')


def said_of(resource: Resource[Any]) -> dict[str, Any]:
    """Return what a directory says, as it is kept; what is so here has its own place."""
    document: dict[str, Any] = resource.model_dump()
    for key in ("id", "meta", "groups", "members", "active", "password", str(Person.__schema__), "schemas"):
        document.pop(key, None)
    return document


def person_document(
    resource: User[Person | Enterprise], before: Mapping[str, Any], id: str, now: datetime, *, whole: bool
) -> dict[str, Any]:
    """Return a person of the inventory as a User says; what a User has no place for stays as it was.

    Parameters
    ----------
    whole
        Whether it says everything that is so here, so that what it does not say is to be taken away. Of others, most
        know nothing of the extension.
    """
    document = {**before, "id": id}
    name = resource.name.formatted if resource.name is not None else None
    parts = [resource.name.given_name, resource.name.family_name] if resource.name is not None else []
    title = resource.display_name or name or " ".join(part for part in parts if part)
    if title:
        document["title"] = title
    elif whole and before.get("title"):
        document["title"] = None
    own = resource[Person]
    if own is None and whole:
        own = Person()
    if own is not None:
        if own.attributes is not None:
            named = [each for each in own.attributes if each.name and each.value]
            document["attributes"] = {str(each.name): attribute_value(str(each.value)) for each in named}
        elif whole and before.get("attributes"):
            document["attributes"] = None
        for key in _OWN:
            value = getattr(own, key)
            if value is not None:
                document[key] = value
            elif whole and before.get(key):
                # Of several there are none then; of one nobody knows. What was empty was not told, and stays so.
                document[key] = [] if isinstance(before[key], list) else None
    if resource.active is False:
        return off_now(document, now)
    return not_off(document, now) if resource.active is True else document
