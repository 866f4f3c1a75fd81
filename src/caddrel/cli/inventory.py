"""`caddrel people`, `groups`, `devices`, `apps`, `lists`: the inventory."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import click
from rich.text import Text

from caddrel.cli.files import objects_of
from caddrel.cli.output import heading, json_option, mark, remark, say, table, write_json, write_line
from caddrel.cli.profile import connect
from caddrel.cli.trace_text import shape
from caddrel.client.inventory import Things
from caddrel.wire.inventory import Detail, Item

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


def _cell(noun: str, key: str, value: Any) -> str:
    if value is None:
        return ""
    if noun == "lists":
        return f"{len(value)} networks"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return ", ".join(_one(v) for v in value) if isinstance(value, list) else str(value)


def _one(value: Any) -> str:
    """Return one of several values as text; a membership that ends, with its end."""
    if isinstance(value, dict) and "until" in value:
        return f"{value['id']} (until {str(value['until'])[:16].replace('T', ' ')})"
    return str(value)


def _of_person(noun: str) -> Callable[[Any], Any]:
    """Return the option to list somebody's own, which only devices are."""
    if noun != "devices":
        return lambda command: command
    return click.option("--person", default="", help="Only those of this person.")


def _make(noun: str) -> click.Group:
    group = click.Group(noun, help=f"The {'address lists' if noun == 'lists' else noun} of the inventory.")
    example = _EXAMPLES[noun]

    @group.command("list", help=f"List them by id.\n\n\b\nExample: caddrel {noun} list --search {example[:4]}")
    @click.option("--search", default="", help="Only those whose id or title has this text.")
    @click.option("--limit", type=click.IntRange(1, 100_000), default=50, show_default=True, help="At most so many.")
    @_of_person(noun)
    @json_option
    def listed(search: str, limit: int, as_json: bool, person: str = "") -> None:
        items: list[Item] = []
        with connect() as service:
            things: Things = getattr(service, noun)
            total = things.list(search, limit=1, person=person).total
            for item in things.all(search, person=person):
                if len(items) == limit:
                    break
                items.append(item)
        if as_json:
            for item in items:
                write_line(item.document)
            return
        columns = _COLUMNS[noun]
        rows = [(item.id, item.title, *(_cell(noun, key, item.document.get(key)) for key in columns)) for item in items]
        table(("id", "title", *(c.replace("_", " ") for c in columns)), rows)
        if total > len(items):
            remark(f"{total - len(items)} more: see --limit and --search.")

    @group.command("show", help=f"Show one.\n\n\b\nExample: caddrel {noun} show {example}")
    @click.argument("id")
    @json_option
    def show(id: str, as_json: bool) -> None:
        with connect() as service:
            things: Things = getattr(service, noun)
            found = things.get(id)
        if as_json:
            write_json(found)
            return
        _print_detail(noun, found)

    @group.command(
        "import",
        help="Add or replace objects from NDJSON or a JSON array; all of them or, when one is wrong, none."
        f"\n\n\b\nExample: caddrel {noun} import {noun}.ndjson",
    )
    @click.argument("file", type=click.Path(path_type=Path, exists=True, allow_dash=True, dir_okay=False))
    @json_option
    def import_(file: Path, as_json: bool) -> None:
        with connect() as service:
            things: Things = getattr(service, noun)
            result = things.import_(objects_of(file))
        if as_json:
            write_json(result)
            return
        say(f"{result.added} added, {result.changed} changed")

    _add_removing(group, noun)
    return group


def _add_removing(group: click.Group, noun: str) -> None:
    @group.command(
        "remove",
        help="Take objects out: nothing of them is kept but their ids; the log keeps what it has."
        f"\n\n\b\nExample: caddrel {noun} remove {_EXAMPLES[noun]}",
    )
    @click.argument("ids", nargs=-1, required=True, metavar="ID…")
    @click.option(
        "--accept-lockout-risk", default="", metavar="WHY", help="Even when nobody could administer after it."
    )
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


def _print_detail(noun: str, found: Detail) -> None:
    document = found.item.document
    say(Text(found.item.title or found.item.id, style="bold") + Text(f"  {found.item.id}", style="dim"))
    rows = [
        (key, _cell(noun, key, value)) for key, value in document.items() if key not in {"id", "title", "attributes"}
    ]
    rows += [(f"attributes.{key}", str(value)) for key, value in (document.get("attributes") or {}).items()]
    table(("field", "value"), rows)
    direct = {each["id"] if isinstance(each, dict) else each for each in document.get("groups") or []}
    inherited = sorted(set(found.groups) - direct)
    if inherited:
        say(f"Through its groups also in: {', '.join(inherited)}")
    for standard in found.standards:
        heading(f"Standard {standard.title}")
        say(mark(standard.truth) + Text("  passes" if standard.truth == "true" else "  does not pass for certain"))
        for check in standard.checks:
            fix = f" — {check.fix}" if check.truth != "true" and check.fix else ""
            say(shape(check.truth) + Text(f" {check.title}{fix}"), indent=2)


people = _make("people")
groups = _make("groups")
devices = _make("devices")
apps = _make("apps")
lists = _make("lists")
