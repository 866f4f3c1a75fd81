"""Reading inventory objects, with every problem at its place."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from caddrel.core.diagnostics import Diagnostic, did_you_mean, shorten
from caddrel.core.facts.catalogue import FACTS
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import NotUnderstood, ValueRefused, read_moment_or_day, read_reported
from caddrel.core.inventory.address_lists import AddressList, Span, read_span
from caddrel.core.inventory.index import NOUNS, ONE_OF, Entry, Group, Inventory

LONGEST_ID = 200


LARGEST_LIST = 2_000_000


# Which fact each stored field supplies; fields of other meaning are named apart.
FIELDS: dict[str, dict[str, str]] = {
    "people": {k: f"person.{k}" for k in ("kind", "home", "unit", "groups", "roles", "factors", "risk")},
    "devices": {
        k: f"device.{k}"
        for k in "serial owner platform os_version managed encrypted screen_lock tampered vetted".split()
    },
    "apps": {"labels": "app.labels"},
}


OTHER_FIELDS: dict[str, tuple[str, ...]] = {
    "people": ("title", "off", "attributes"),
    "groups": ("title", "member_of"),
    "devices": ("title", "person", "state_at", "listed_at", "attributes"),
    "apps": ("title", "attributes"),
    "lists": ("title", "networks"),
}


class InventoryReader:
    """Reads inventory objects from JSON, collecting what is wrong.

    Parameters
    ----------
    stored
        Whether they were taken in before: what is on no list is then kept with its object as not understood. One that
        comes anew is refused for it.
    """

    def __init__(self, stored: bool = False) -> None:
        self.problems: list[Diagnostic] = []
        self._stored = stored

    def say(self, path: str, code: str, message: str, hint: str = "") -> None:
        """Collect a finding."""
        self.problems.append(Diagnostic(code, message, hint, path=path))

    def _id(self, value: Any, path: str) -> str | None:
        if isinstance(value, str) and 0 < len(value) <= LONGEST_ID and value.isprintable():
            return value
        self.say(
            path, "bad-id", "an `id` is needed, a text without control characters", f"at most {LONGEST_ID} of them"
        )
        return None

    def _fields(self, noun: str, value: Any, path: str) -> dict[str, Any] | None:
        if not isinstance(value, dict):
            self.say(path, "wrong-type", f"expected an object for a {ONE_OF[noun]}")
            return None
        known = ("id", *FIELDS.get(noun, ()), *OTHER_FIELDS[noun])
        for key in value:
            if key not in known:
                hint = did_you_mean(key, known, f"it can have: {', '.join(known)}")
                self.say(f"{path}.{shorten(key)}", "unknown-key", f"a {ONE_OF[noun]} has no `{shorten(key)}`", hint)
        if self._id(value.get("id"), path) is None:
            return None
        return {key: item for key, item in value.items() if item is not None}

    def _text(self, fields: dict[str, Any], key: str, path: str) -> str:
        value = fields.get(key, "")
        if isinstance(value, str) and len(value) <= 500:
            return value
        self.say(f"{path}.{key}", "wrong-type", f"`{key}` is a text of at most 500 characters")
        return ""

    def _ids(self, fields: dict[str, Any], key: str, path: str) -> tuple[str, ...]:
        value = fields.get(key, [])
        if isinstance(value, list) and all(isinstance(item, str) and item for item in value):
            return tuple(value)
        self.say(f"{path}.{key}", "wrong-type", f"`{key}` is an array of ids")
        return ()

    def _moment(self, fields: dict[str, Any], key: str, path: str) -> datetime | None:
        if key not in fields:
            return None
        try:
            return read_moment_or_day(fields[key] if isinstance(fields[key], str) else str(fields[key]))
        except ValueRefused as refused:
            self.say(f"{path}.{key}", "wrong-value", str(refused))
            return None

    def entry(self, noun: str, value: Any, path: str) -> Entry | None:
        """Return a person, device or app, or None with findings."""
        before = len(self.problems)
        fields = self._fields(noun, value, path)
        if fields is None:
            return None
        until = self._memberships(fields, path) if noun == "people" else ()
        facts: dict[str, Value] = {}
        strange: dict[str, Any] = {}
        for key, fact in FIELDS[noun].items():
            if key in fields:
                try:
                    facts[fact] = read_reported(FACTS[fact], fields[key])
                except ValueRefused as refused:
                    if self._stored and isinstance(refused, NotUnderstood):
                        strange[fact] = refused.said
                        continue
                    hint = did_you_mean(str(fields[key]), refused.words)
                    self.say(f"{path}.{key}", "wrong-value", f"`{key}`: {refused}", hint)
        attributes = fields.get("attributes", {})
        if not isinstance(attributes, dict):
            self.say(f"{path}.attributes", "wrong-type", "`attributes` is an object")
            attributes = {}
        made = Entry(
            fields["id"],
            self._text(fields, "title", path),
            facts,
            attributes,
            self._text(fields, "person", path),
            self._moment(fields, "state_at", path),
            self._moment(fields, "listed_at", path),
            until,
            strange,
            self._moment(fields, "off", path) if noun == "people" else None,
        )
        return made if len(self.problems) == before else None

    def _memberships(self, fields: dict[str, Any], path: str) -> tuple[tuple[str, datetime], ...]:
        """Take the memberships that end by themselves out of a person's groups: ``{"id": …, "until": …}``."""
        groups = fields.get("groups")
        if not isinstance(groups, list):
            return ()
        found: list[tuple[str, datetime]] = []
        for i, each in enumerate(groups):
            if not isinstance(each, dict):
                continue
            place = f"{path}.groups[{i}]"
            id = self._id(each.get("id"), place)
            if each.keys() - {"id", "until"} or "until" not in each:
                self.say(
                    place, "wrong-type", "a membership that ends has `id` and `until`", '"deck-crew" for one that lasts'
                )
                continue
            until = self._moment(each, "until", place)
            if id is not None and until is not None:
                found.append((id, until))
        fields["groups"] = [each for each in groups if not isinstance(each, dict)]
        return tuple(found)

    def group(self, value: Any, path: str) -> Group | None:
        """Return a group, or None with findings."""
        before = len(self.problems)
        fields = self._fields("groups", value, path)
        if fields is None:
            return None
        made = Group(fields["id"], self._text(fields, "title", path), self._ids(fields, "member_of", path))
        return made if len(self.problems) == before else None

    def address_list(self, value: Any, path: str) -> AddressList | None:
        """Return an address list, or None with findings."""
        before = len(self.problems)
        fields = self._fields("lists", value, path)
        if fields is None:
            return None
        texts = fields.get("networks") or []
        if not isinstance(texts, list):
            self.say(f"{path}.networks", "wrong-type", "`networks` is an array of networks")
            return None
        if len(texts) > LARGEST_LIST:
            self.say(f"{path}.networks", "list-too-long", f"an address list holds at most {LARGEST_LIST} networks")
            return None
        spans: dict[int, list[Span]] = {4: [], 6: []}
        for i, text in enumerate(texts):
            try:
                version, span = read_span(text)
                spans[version].append(span)
            except (ValueError, AttributeError, TypeError) as error:
                message = "has host bits set" if "host bits" in str(error) else "is not a network"
                shown = f'"{shorten(str(text))}" {message}'
                self.say(f"{path}.networks[{i}]", "wrong-value", shown, "such as 192.0.2.0/24")
                if len(self.problems) >= before + 20:
                    return None
        if len(self.problems) != before:
            return None
        return AddressList.of_spans(fields["id"], self._text(fields, "title", path), spans[4], spans[6])


def read_inventory(document: Any, stored: bool = False) -> tuple[Inventory, list[Diagnostic]]:
    """Return the inventory that a JSON document with `people`, `groups`, `devices`, `apps`, `lists` describes.

    Parameters
    ----------
    stored
        As in `InventoryReader`.
    """
    reader = InventoryReader(stored)
    if not isinstance(document, dict):
        reader.say("", "wrong-type", f"an inventory is an object with {', '.join(NOUNS)}")
        return Inventory(), reader.problems
    found: dict[str, list[Any]] = {noun: [] for noun in NOUNS}
    for noun, items in document.items():
        if noun not in NOUNS:
            reader.say(noun, "unknown-key", f"an inventory has no `{shorten(noun)}`", did_you_mean(noun, NOUNS))
            continue
        if not isinstance(items, list):
            reader.say(noun, "wrong-type", f"`{noun}` is an array")
            continue
        for i, item in enumerate(items):
            made = read_object(reader, noun, item, f"{noun}[{i}]")
            if made is not None:
                found[noun].append(made)
    return Inventory(**found), reader.problems


def read_object(reader: InventoryReader, noun: str, value: Any, path: str) -> Entry | Group | AddressList | None:
    """Return one object of a kind, or None with findings in the reader."""
    if noun == "groups":
        return reader.group(value, path)
    if noun == "lists":
        return reader.address_list(value, path)
    return reader.entry(noun, value, path)
