"""One object of the inventory from all sides, and what an import does, as text."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from rich.text import Text

from caddrel.cli.grid import ends
from caddrel.cli.hints import own_words
from caddrel.cli.output import heading, mark, plain, remark, say, table
from caddrel.cli.trace_text import shape
from caddrel.core.words.pieces import counted
from caddrel.wire import profiles as wire
from caddrel.wire.inventory import Item, PutResult, StandardState


def cell(noun: str, key: str, value: Any) -> str:
    """Return a field of an object as text."""
    if value is None:
        return ""
    if noun == "lists" and key == "networks":
        return counted(len(value), "network")
    if isinstance(value, bool):
        return "yes" if value else "no"
    return ", ".join(_one(v) for v in value) if isinstance(value, list) else str(value)


def _one(value: Any) -> str:
    """Return one of several values as text; a membership that ends, with its end."""
    if isinstance(value, dict) and "until" in value:
        return f"{value['id']} (until {_at(str(value['until']))})"
    return str(value)


def _at(moment: str) -> str:
    return moment[:16].replace("T", " ")


def print_import(result: PutResult) -> None:
    """Write what an import did, or would do."""
    verb = "would be " if result.dry_run else ""
    removed = f", {result.removed} {verb}taken out" if result.removed else ""
    say(f"{result.added} {verb}added, {result.changed} {verb}changed{removed}")
    for warning in result.warnings:
        hint = f" — {own_words(warning.hint)}" if warning.hint else ""
        remark(f"{warning.message} [{warning.code}]{hint}")
    if not result.dry_run:
        return
    if result.says:
        say(result.says, indent=2)
    for noun, ids in result.going.items():
        say(f"{noun} that would go: {', '.join(ids)}", indent=2)
    milder, stricter = f"{result.gaining} meet something milder", f"{result.losing} something stricter"
    say(f"It touches {counted(result.people, 'person', 'people')}: {milder}, {stricter}.")
    if result.turned:
        rows = [
            (each.person, each.app, mark(each.before or None), mark(each.after or None)) for each in result.turned[:40]
        ]
        table(("person", "app", "now", "then"), rows)
    if len(result.turned) > 40:
        remark(f"{len(result.turned) - 40} more: see --json.")
    if result.left_out:
        remark(f"Of {counted(result.left_out, 'person', 'people')} there was no time to find out.")


def print_profile(noun: str, found: Any) -> None:
    """Write an object from all sides."""
    item: Item = found.item
    say(Text(item.title or item.id, style="bold") + Text(f"  {item.id}", style="dim"))
    if item.kept_by:
        say(f"Kept by {item.kept_by}: it is changed there.")
    _PRINTERS[noun](found)


def print_coverage(found: wire.AppCoverage | wire.ReachCoverage) -> None:
    """Write who can reach an app how, or what somebody or a group can meet at each; nothing where it is not known."""
    rows: list[list[str | Text | None]]
    if isinstance(found, wire.AppCoverage):
        rows = [
            [row.audience, row.title, str(row.people), ends(row.cell.possible), ", ".join(row.cell.possible)]
            for row in found.rows
        ]
        heads: tuple[str, ...] = ("audience", "title", "people", "", "mildest to strictest")
    else:
        rows = [[each.app, ends(each.cell.possible), ", ".join(each.cell.possible)] for each in found.apps]
        heads = ("app", "", "mildest to strictest")
    if rows:
        heading("Who can reach it" if isinstance(found, wire.AppCoverage) else "From anywhere")
        table(heads, rows)
        more = "" if found.exact else " Other outcomes are not excluded."
        said = f"Each with a password alone, no risk and no signal; what is not said is open.{more}"
        say(Text(said, style="dim"))


def _fields(noun: str, item: Item, apart: set[str]) -> None:
    document, left_out = item.document, {"id", "title", "attributes", *apart}
    rows = [(key, cell(noun, key, value)) for key, value in document.items() if key not in left_out]
    rows += [(f"attributes.{key}", str(value)) for key, value in (document.get("attributes") or {}).items()]
    if rows:
        table(("field", "value"), rows)


def _person(found: wire.PersonProfile) -> None:
    if found.off:
        say(Text(f"Off since {_at(found.off)}: no sign-in is let in.", style="bold"))
    if found.locked_until:
        say(Text(f"Locked out until {_at(found.locked_until)}: too many wrong passwords.", style="bold"))
    _fields("people", found.item, {"groups", "off"})
    if found.groups:
        heading("Groups")
        rows = [
            (each.id, each.title, " → ".join(each.through) or "itself", _at(each.until) if each.until else "")
            for each in found.groups
        ]
        table(("group", "title", "through", "until"), rows)
    if found.devices:
        heading("Devices")
        devices = [
            (each.id, each.title, each.platform, each.os_version, ", ".join(each.failing) or "passes all")
            for each in found.devices
        ]
        table(("id", "title", "platform", "version", "does not pass"), devices)
    _reach(found.reach, _from(found))
    if found.sessions:
        heading("Sessions")
        table(("app", "device", "seen"), [(each.app, each.device, _at(each.seen)) for each in found.sessions])
    if found.starter_codes:
        say(f"{found.starter_codes} starter codes could still be used.")
    if found.accepted:
        said = ", ".join(f"{each.notice} {each.version} ({_at(each.accepted)})" for each in found.accepted)
        say(f"Accepted: {said}")
    _signins(found.signins)


def _from(found: wire.PersonProfile) -> str:
    places = [found.device, found.address]
    said = ", ".join(each for each in places if each)
    return f"by a plain sign-in now, with a password{f', from {said}' if said else ''}"


def _reach(reach: list[wire.AppReach], how: str) -> None:
    if not reach:
        return
    heading("What opens")
    say(Text(how.capitalize() + ".", style="dim"))
    table(("app", "outcome", "why"), [(each.app, mark(each.outcome), plain(each.says)) for each in reach])


def _signins(lines: list[wire.SigninLine]) -> None:
    if lines:
        heading("Last sign-ins")
        rows = [(_at(each.at), each.person, each.app, each.device, mark(each.outcome), each.id) for each in lines]
        table(("at", "person", "app", "device", "outcome", "id"), rows)


def _device(found: wire.DeviceProfile) -> None:
    _fields("devices", found.item, set())
    if found.state_at:
        say(f"Its state was reported {found.state_age} ago, on {_at(found.state_at)}.")
    for standard in found.standards:
        _standard(standard)
    if found.users:
        heading("Who signs in from it")
        users = [(each.person, each.title, str(each.count), _at(each.last)) for each in found.users]
        table(("person", "name", "sign-ins", "last"), users)
    _reach(found.reach, "by a plain sign-in of its owner from it now, with a password")


def _standard(standard: StandardState) -> None:
    heading(f"Standard {standard.title}")
    say(mark(standard.truth) + Text("  passes" if standard.truth == "true" else "  does not pass for certain"))
    for check in standard.checks:
        fix = f" — {check.fix}" if check.truth != "true" and check.fix else ""
        say(shape(check.truth) + Text(f" {check.title}{fix}"), indent=2)


def _speaks(policies: list[wire.Speaks], all_of: str) -> None:
    if policies:
        heading("Policies that speak about it")
        rows = [
            (each.policy, mark(each.mode), "names it" if each.naming else all_of, plain(each.sentence))
            for each in policies
        ]
        table(("policy", "mode", "how", "says"), rows)


def _app(found: wire.AppProfile) -> None:
    _fields("apps", found.item, set())
    if found.stance:
        own = "by its own line" if found.own_stance else "as all apps are that say nothing"
        meaning = "blocked unless a policy lets in" if found.stance == "closed" else "allowed unless a policy objects"
        say(f"Its stance is {found.stance}, {own}: {meaning}.")
    _speaks(found.policies, "with others")
    _signins(found.signins)


def _group(found: wire.GroupProfile) -> None:
    _fields("groups", found.item, set())
    if found.parents:
        say(f"In: {', '.join(each.id for each in found.parents)}")
    if found.children:
        say(f"Groups in it: {', '.join(each.id for each in found.children)}")
    heading(f"{found.count} members")
    rows = [
        (each.person, each.title, " → ".join(each.through) or "itself", _at(each.until) if each.until else "")
        for each in found.members[:60]
    ]
    table(("person", "name", "through", "until"), rows)
    if found.count > len(rows):
        remark(f"{found.count - len(rows)} more: caddrel people list --group {found.item.id}")
    _speaks(found.policies, "in a rule")


def _list(found: wire.ListProfile) -> None:
    say(f"{counted(found.count, 'network')}.")
    for network in found.networks[:40]:
        say(network, indent=2)
    if found.count > 40:
        remark(f"{found.count - 40} more: see --json or caddrel lists export.")
    used = ", ".join(each.id for each in found.places)
    say(f"Used by the places {used}." if used else "No place uses it.")


_PRINTERS: dict[str, Callable[[Any], None]] = {
    "people": _person,
    "devices": _device,
    "apps": _app,
    "groups": _group,
    "lists": _list,
}
