"""`caddrel people`, `groups`, `devices`, `apps`, `lists`, and `inventory`: who and what there is."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any

import click
import msgspec

from caddrel.cli.failing_devices import failing
from caddrel.cli.files import objects_of, open_bytes
from caddrel.cli.given import inventory_document
from caddrel.cli.inventory_text import cell, print_coverage, print_import, print_profile
from caddrel.cli.output import json_option, remark, say, table, write_json, write_line
from caddrel.cli.profile import connect
from caddrel.cli.unlisted import refuse, unlisted, vet
from caddrel.client.caddrel import Caddrel
from caddrel.client.inventory import Things, import_options
from caddrel.core.inventory.csv_table import attribute_value, field_value, write_table
from caddrel.core.inventory.reader import FIELDS, OTHER_FIELDS
from caddrel.wire.inventory import Item, PutResult

_COLUMNS = {
    "people": ("kind", "unit", "groups", "factors"),
    "groups": ("member_of",),
    "devices": ("person", "owner", "platform", "os_version", "managed"),
    "apps": ("labels",),
    "lists": ("networks",),
}
_EXAMPLES = {
    "people": "ines.faro",
    "groups": "deck-crew",
    "devices": "tab-0117",
    "apps": "manifest",
    "lists": "bad-addresses",
}
_SETS = {
    "people": "kind=contractor", "groups": "title='Deck crew'", "devices": "managed=no", "apps": "labels=crew,sea",
    "lists": "title='Bad addresses'",
}  # fmt: skip
# What lists can be filtered by beside a condition: option, noun, the condition.
_FILTERS = (
    ("group", "people", "person.groups has {}"),
    ("kind", "people", "person.kind is {}"),
    ("role", "people", "person.roles has {}"),
    ("platform", "devices", "device.platform is {}"),
    ("label", "apps", "app.labels has {}"),
)
_ACCEPT = click.option(
    "--accept-lockout-risk", default="", metavar="WHY", help="Even when nobody could administer after it."
)
F = Callable[..., Any]


def _options(noun: str) -> F:
    """Return the options that lists of a noun have beside the others."""
    made = []
    if noun in {"people", "devices", "apps"}:
        text = "Only those for which this condition over their own facts holds."
        made.append(click.option("--where", default="", metavar="COND", help=text))
    if noun == "devices":
        made.append(click.option("--person", default="", help="Only those of this person."))
    for name, of, _ in _FILTERS:
        if of == noun:
            made.append(click.option(f"--{name}", default="", help=f"Only those of this {name}."))

    def add(command: Any) -> Any:
        for option in reversed(made):
            command = option(command)
        return command

    return add


def _where(noun: str, where: str, chosen: dict[str, str]) -> str:
    found = [f"({where})"] if where.strip() else []
    found += [form.format(chosen[name]) for name, of, form in _FILTERS if of == noun and chosen.get(name)]
    return " and ".join(found)


def _make(noun: str) -> click.Group:
    group = click.Group(noun, help=f"The {'address lists' if noun == 'lists' else noun} of the inventory.")
    example = _EXAMPLES[noun]

    @group.command("list", help=f"List them by id.\n\n\b\nExample: caddrel {noun} list --search {example[:4]}")
    @click.option("--search", default="", help="Only those whose id or title has this text.")
    @click.option("--limit", type=click.IntRange(1, 100_000), default=50, show_default=True, help="At most so many.")
    @_options(noun)
    @json_option
    def listed(search: str, limit: int, as_json: bool, person: str = "", where: str = "", **chosen: str) -> None:
        items: list[Item] = []
        condition = _where(noun, where, chosen)
        if condition and person:
            raise click.UsageError("--person goes with --search alone")
        with connect() as service:
            things: Things = getattr(service, noun)
            total = things.list(search, limit=1, person=person, where=condition).total
            for item in things.all(search, person=person, where=condition):
                if len(items) == limit:
                    break
                items.append(item)
        if as_json:
            for item in items:
                write_line(item.document)
            return
        columns = _COLUMNS[noun]
        rows = [(item.id, item.title, *(cell(noun, key, item.document.get(key)) for key in columns)) for item in items]
        table(("id", "title", *(c.replace("_", " ") for c in columns)), rows)
        if total > len(items):
            remark(f"{total - len(items)} more: see --limit and --search.")

    @group.command("show", help=f"Show one from all sides.\n\n\b\nExample: caddrel {noun} show {example}")
    @click.argument("id")
    @json_option
    def show(id: str, as_json: bool) -> None:
        with connect() as service:
            found = _profile(service, noun, id)
            coverage = _coverage(service, noun, id)
        if as_json:
            write_json({**msgspec.to_builtins(found), "coverage": coverage} if coverage is not None else found)
        else:
            print_profile(noun, found)
            if coverage is not None:
                print_coverage(coverage)

    _add_changing(group, noun)
    _add_importing(group, noun)
    _add_removing(group, noun)
    return group


def _profile(service: Caddrel, noun: str, id: str) -> Any:
    of = {
        "people": service.profiles.person, "groups": service.profiles.group, "devices": service.profiles.device,
        "apps": service.profiles.app, "lists": service.profiles.address_list,
    }  # fmt: skip
    return of[noun](id)


def _coverage(service: Caddrel, noun: str, id: str) -> Any:
    """Return what there is of an object in the coverage grid, None where it is in no row or column."""
    of: dict[str, Callable[[str], Any]] = {
        "people": service.profiles.person_coverage, "groups": service.profiles.group_coverage,
        "apps": service.profiles.app_coverage,
    }  # fmt: skip
    return of[noun](id) if noun in of else None


def _add_changing(group: click.Group, noun: str) -> None:
    @group.command(
        "set",
        help="Change fields of one: FIELD=VALUE, sets split at commas; FIELD= takes it out."
        f"\n\n\b\nExample: caddrel {noun} set {_EXAMPLES[noun]} {_SETS[noun]}",
    )
    @click.argument("id")
    @click.argument("fields", nargs=-1, required=True, metavar="FIELD=VALUE…")
    @click.option("--new", is_flag=True, help="Add it: refused when there is one of that id.")
    @_ACCEPT
    @json_option
    def change(id: str, fields: tuple[str, ...], new: bool, accept_lockout_risk: str, as_json: bool) -> None:
        made = _fields(noun, fields)
        with connect() as service:
            things: Things = getattr(service, noun)
            if new:
                item = things.put(id, {k: v for k, v in made.items() if v is not None}, 0, accept_lockout_risk)
            else:
                # As it is now: what is not named stays, whoever changed it.
                item = things.change(id, made, None, accept_lockout_risk)
        if as_json:
            write_json(item.document)
        else:
            say(f"{item.id}: {', '.join(_now(noun, item.document, made))}.")


def _now(noun: str, document: dict[str, Any], changed: dict[str, Any]) -> Iterator[str]:
    """Yield what was changed, as it is then."""
    for key, value in changed.items():
        if key == "attributes":
            own = document.get("attributes") or {}
            yield from (f"{name} {cell(noun, name, own.get(name)) or 'not known'}" for name in value)
        else:
            yield f"{key} {cell(noun, key, document.get(key)) or 'not known'}"


def _fields(noun: str, pairs: Iterable[str]) -> dict[str, Any]:
    known = [*FIELDS.get(noun, ()), *OTHER_FIELDS[noun]]
    found: dict[str, Any] = {}
    for pair in pairs:
        name, equals, text = pair.partition("=")
        own = name.startswith("attributes.") and "attributes" in known
        if not equals or not (own or (name in known and name != "attributes")):
            raise click.UsageError(f"{pair}: write FIELD=VALUE; fields are {', '.join(known)}, attributes.NAME")
        if own:
            value = attribute_value(text) if text else None
            found.setdefault("attributes", {})[name.removeprefix("attributes.")] = value
        else:
            found[name] = field_value(noun, name, text, ",") if text else None
    return found


def _importing(command: F) -> F:
    for option in (
        click.option("--replace", is_flag=True, help="Replace objects whole, instead of what the file names of them."),
        click.option("--sync", is_flag=True, help="The file is the full list: what it does not name goes."),
        click.option("--dry-run", is_flag=True, help="Tell what would change, and for whom; change nothing."),
        click.option(
            "--accept-removals", type=click.IntRange(0), default=0, metavar="N", help="So many may go with --sync."
        ),
        _ACCEPT,
        json_option,
    ):
        command = option(command)
    return command


def _how(replace: bool, sync: bool) -> str:
    if replace and sync:
        raise click.UsageError("--replace or --sync: a full list replaces anyway")
    return "sync" if sync else "replace" if replace else "patch"


def _add_importing(group: click.Group, noun: str) -> None:
    @group.command(
        "import",
        help="Add or change objects from NDJSON, a JSON array or CSV; all of them or, when one is wrong, none."
        " What the file does not name of an object stays."
        f"\n\n\b\nExample: caddrel {noun} import {noun}.csv --dry-run",
    )
    @click.argument("file", type=click.Path(path_type=Path, exists=True, allow_dash=True, dir_okay=False))
    @_importing
    def import_(
        file: Path,
        replace: bool,
        sync: bool,
        dry_run: bool,
        accept_removals: int,
        accept_lockout_risk: str,
        as_json: bool,
    ) -> None:
        options = import_options(_how(replace, sync), dry_run, accept_removals, accept_lockout_risk)
        with connect() as service:
            things: Things = getattr(service, noun)
            if file.suffix.lower() == ".csv":
                result = things.import_(_pieces(file), "csv", **options)
            else:
                result = things.import_(objects_of(file), **options)
        _told(result, as_json)

    @group.command(
        "export",
        help=f"Write all of them, as NDJSON or CSV.\n\n\b\nExample: caddrel {noun} export --format csv > {noun}.csv",
    )
    @click.option("--format", "form", type=click.Choice(["ndjson", "csv"]), default="ndjson", help="NDJSON by default.")
    def export(form: str) -> None:
        with connect() as service:
            things: Things = getattr(service, noun)
            documents = (item.document for item in things.all())
            if form == "csv":
                sys.stdout.write(write_table(noun, documents))
                return
            for document in documents:
                write_line(document)


def _pieces(file: Path) -> Iterator[bytes]:
    with open_bytes(file) as opened:
        while piece := opened.read(1 << 16):
            yield piece


def _told(result: PutResult, as_json: bool) -> None:
    if as_json:
        write_json(result)
    else:
        print_import(result)


def _add_removing(group: click.Group, noun: str) -> None:
    @group.command(
        "remove",
        help="Take objects out: nothing of them is kept but their ids; the log keeps what it has."
        f"\n\n\b\nExample: caddrel {noun} remove {_EXAMPLES[noun]}",
    )
    @click.argument("ids", nargs=-1, required=True, metavar="ID…")
    @_ACCEPT
    @json_option
    def remove(ids: tuple[str, ...], accept_lockout_risk: str, as_json: bool) -> None:
        with connect() as service:
            things: Things = getattr(service, noun)
            # Those that are not there are told before any is taken out.
            versions = {id: things.get(id).item.version for id in ids}
            for id, version in versions.items():
                gone = things.remove(id, version, accept_lockout_risk)
                if as_json:
                    write_line({"noun": gone.noun, "id": gone.id})
                else:
                    say(f"{gone.id} is taken out.")


people = _make("people")
groups = _make("groups")
devices = _make("devices")
apps = _make("apps")
lists = _make("lists")
devices.add_command(failing)
devices.add_command(unlisted)
devices.add_command(vet)
devices.add_command(refuse)


@people.command("off")
@click.argument("id")
@_ACCEPT
@json_option
def off(id: str, accept_lockout_risk: str, as_json: bool) -> None:
    """Somebody has left: no sign-in of theirs is let in from now on, sessions and starter codes end.

    They stay in the inventory and the log. `caddrel people back ID` takes them back.

    \b
    Example: caddrel people off odd.vik
    """
    with connect() as service:
        gone = service.inventory.off(id, accept_lockout_risk)
    if as_json:
        write_json(gone)
        return
    say(f"{gone.person} is off since {gone.since[:16].replace('T', ' ')}: no sign-in is let in any more.")
    say(f"{gone.sessions} open sessions and {gone.starter_codes} starter codes ended.")
    if gone.devices:
        remark(f"Devices of theirs: {', '.join(gone.devices)}.")


@people.command("back")
@click.argument("id")
@json_option
def back(id: str, as_json: bool) -> None:
    """Take somebody back who was off: policies decide again.

    \b
    Example: caddrel people back odd.vik
    """
    with connect() as service:
        item = service.inventory.back(id)
    if as_json:
        write_json(item.document)
    else:
        say(f"{item.id} is back.")


@groups.command("add")
@click.argument("group")
@click.argument("people", nargs=-1, required=True, metavar="PERSON…")
@click.option(
    "--until", default="", metavar="MOMENT", help="When it ends by itself; of a date alone its beginning, in UTC."
)
@click.option("--what-if", is_flag=True, help="Tell what they would gain or lose, and change nothing.")
@_ACCEPT
@json_option
def add(
    group: str, people: tuple[str, ...], until: str, what_if: bool, accept_lockout_risk: str, as_json: bool
) -> None:
    """Make people members of a group, for good or until a moment.

    \b
    Example: caddrel groups add deck-crew odd.vik --until 2026-12-01
    """
    with connect() as service:
        for person in people:
            if what_if:
                found = service.profiles.joining(group, person)
                if as_json:
                    write_line(found)
                    continue
                if found.already:
                    say(f"{person} is in {group} already.")
                for each in found.turned:
                    say(f"{person}: {each.app} {each.before or 'not there'} → {each.after or 'not there'}")
                if not found.already and not found.turned:
                    say(f"{person}: no app opens otherwise.")
                continue
            item = service.inventory.join(group, person, until, accept_lockout_risk)
            if as_json:
                write_line(item.document)
            else:
                say(f"{person} is in {group}{f' until {until}' if until else ''}.")


@groups.command("drop")
@click.argument("group")
@click.argument("people", nargs=-1, required=True, metavar="PERSON…")
@_ACCEPT
@json_option
def drop(group: str, people: tuple[str, ...], accept_lockout_risk: str, as_json: bool) -> None:
    """Take people's own membership of a group away; one through another group stays.

    \b
    Example: caddrel groups drop deck-crew odd.vik
    """
    with connect() as service:
        for person in people:
            item = service.inventory.leave(group, person, accept_lockout_risk)
            if as_json:
                write_line(item.document)
            else:
                say(f"{person} has no membership of {group} any more.")


@click.group()
def inventory() -> None:
    """The whole inventory: people, groups, devices, apps and address lists as one JSON file."""


@inventory.command("export")
def export_all() -> None:
    """Write it as JSON, as `--inventory` takes it.

    \b
    Example: caddrel inventory export > inventory.json
    """
    with connect() as service:
        found = inventory_document(service)
    sys.stdout.write(msgspec.json.format(msgspec.json.encode(found), indent=1).decode() + "\n")


@inventory.command("import")
@click.argument("file", type=click.Path(path_type=Path, exists=True, allow_dash=True, dir_okay=False))
@_importing
def import_all(
    file: Path, replace: bool, sync: bool, dry_run: bool, accept_removals: int, accept_lockout_risk: str, as_json: bool
) -> None:
    """Add or change objects of all kinds from one JSON file; all of them or, when one is wrong, none.

    \b
    Example: caddrel inventory import inventory.json --dry-run
    """
    options = import_options(_how(replace, sync), dry_run, accept_removals, accept_lockout_risk)
    with connect() as service:
        _told(service.inventory.import_(_pieces(file), **options), as_json)
