"""An app, a group, an address list from all sides."""

from __future__ import annotations

from caddrel.core.cases.grid import Audience
from caddrel.core.diagnostics import shorten
from caddrel.core.facts.values import show_moment
from caddrel.core.inventory.index import ONE_OF, Inventory
from caddrel.core.inventory.memberships import memberships
from caddrel.core.inventory.patch import with_member
from caddrel.core.inventory.reader import InventoryReader, read_object
from caddrel.core.rulebook.model import PlaceParts, Rulebook
from caddrel.service.inventory.imports import ImportPlan
from caddrel.service.inventory.items import item_of, keeper_of
from caddrel.service.inventory.outcomes import outcomes
from caddrel.service.inventory.usual import last_signins
from caddrel.service.problems import not_found
from caddrel.service.profiles.people import met
from caddrel.service.profiles.policies_about import about_app, naming_group
from caddrel.service.profiles.reached import signin_lines
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.titles import title_of, titled
from caddrel.service.tracing.coverage import column_of, row_of
from caddrel.store.inventory import Stored
from caddrel.wire import inventory as inventories
from caddrel.wire import profiles as wire

MOST_MEMBERS = 500
MOST_NETWORKS = 200


def app_profile(data: DataFolder, id: str) -> wire.AppProfile:
    """Return an app: its stance, and the policies that speak about it."""
    stored, inventory = _there(data, "apps", id)
    published = data.rulebooks.current()
    app = inventory.apps[id]
    labels = app.facts.get("app.labels")
    named = sorted(labels) if isinstance(labels, frozenset) else []
    records = signin_lines(last_signins(data, "app", id))
    if published is None:
        return wire.AppProfile(item_of(stored), named, "", False, [], records)
    rulebook = titled(published.rulebook, inventory)
    line = rulebook.apps.get(id)
    own = line.stance if line is not None else None
    return wire.AppProfile(
        item_of(stored), named, own or rulebook.settings.stance, own is not None, about_app(rulebook, app), records
    )


def app_coverage(data: DataFolder, id: str) -> wire.AppCoverage:
    """Return who can reach an app how."""
    _there(data, "apps", id)
    found = column_of(data, id) if data.rulebooks.current() is not None else None
    if found is None:
        return wire.AppCoverage([], False, False)
    rows = [wire.AppRow(row.audience, row.title, row.people, row.cells[0]) for row in found.rows if row.people]
    return wire.AppCoverage(rows, found.password_alone, found.exact)


def group_coverage(data: DataFolder, id: str) -> wire.ReachCoverage:
    """Return what anybody of a group can meet at each app."""
    _there(data, "groups", id)
    return met(row_of(data, Audience("group", id)) if data.rulebooks.current() is not None else None)


def group_profile(data: DataFolder, id: str) -> wire.GroupProfile:
    """Return a group: its members and why they are, the groups around it, and the policies that name it."""
    stored, inventory = _there(data, "groups", id)
    now = data.clock()
    published = data.rulebooks.current()
    members = inventory.members_of(id, now)
    lines = []
    for person in members[:MOST_MEMBERS]:
        found = next(each for each in memberships(inventory, person, now) if each.group == id)
        through = [title_of(inventory, "groups", group) or group for group in found.through]
        until = show_moment(found.until) if found.until is not None else ""
        lines.append(wire.MemberLine(person.id, person.title or person.id, through, until))
    parents = sorted(inventory.closure([id]) - {id})
    children = sorted(group.id for group in inventory.groups.values() if id in group.member_of)
    policies: list[wire.Speaks] = []
    if published is not None:
        rulebook = titled(published.rulebook, inventory)
        policies = naming_group(rulebook, id)
    return wire.GroupProfile(
        item_of(stored, keeper_of(data, "groups", id)), len(members), lines, _groups(inventory, parents),
        _groups(inventory, children), policies,
    )  # fmt: skip


def joining(data: DataFolder, group: str, person: str) -> wire.Joining:
    """Return what would turn for somebody who became a member of a group."""
    _, inventory = _there(data, "groups", group)
    stored, _ = _there(data, "people", person)
    now = data.clock()
    held = inventory.groups_of(inventory.people[person], now)
    if group in held:
        return wire.Joining(group, person, True, [], [])
    made = read_object(InventoryReader(stored=True), "people", with_member(stored.document, group), "joining")
    after = inventory.replaced(Inventory(people=[made] if made is not None else []))  # type: ignore[list-item]
    plan = ImportPlan(entries={"people": [made]}, before=inventory, after=after)
    gained = sorted(after.groups_of(after.people[person], now) - held)
    turned = [inventories.OutcomeTurned(t.person, t.app, t.before, t.after) for t in outcomes(data, plan).turned]
    return wire.Joining(group, person, False, gained, turned)


def list_profile(data: DataFolder, id: str) -> wire.ListProfile:
    """Return an address list: the first of its networks, and the places that use it."""
    stored, _ = _there(data, "lists", id)
    networks = [str(each) for each in stored.document.get("networks") or []]
    published = data.rulebooks.current()
    places = _places(published.rulebook, id) if published is not None else []
    item = inventories.Item(
        stored.id, stored.title, {"id": stored.id, "title": stored.title}, stored.version, keeper_of(data, "lists", id)
    )
    return wire.ListProfile(item, len(networks), networks[:MOST_NETWORKS], places)


def _places(rulebook: Rulebook, id: str) -> list[wire.NamedObject]:
    def uses(parts: PlaceParts) -> bool:
        return id in parts.lists

    found = [place for place in rulebook.places.values() if uses(place.parts) or uses(place.without)]
    return [wire.NamedObject(place.id, place.title or place.id) for place in found]


def _there(data: DataFolder, noun: str, id: str) -> tuple[Stored, Inventory]:
    stored, inventory = data.inventory.get(noun, id), data.inventories.current()
    if stored is None or id not in getattr(inventory, noun):
        raise not_found(f"{ONE_OF[noun]} `{shorten(id)}`", f"see GET /api/v1/{noun}?search=…")
    return stored, inventory


def _groups(inventory: Inventory, ids: list[str]) -> list[wire.NamedObject]:
    return [wire.NamedObject(id, title_of(inventory, "groups", id) or id) for id in ids]
