"""`caddrel devices unlisted|vet|refuse`: devices that came to a door and are on no list."""

from __future__ import annotations

from typing import Any

import click

from caddrel.cli.output import json_option, remark, say, table, write_json
from caddrel.cli.profile import connect
from caddrel.core.words.pieces import counted
from caddrel.wire.unlisted import UnlistedDevice, UnlistedDevices, VetRequest


@click.command()
@click.option("--days", type=click.IntRange(1, 366), default=30, show_default=True, help="Those of so many days.")
@click.option("--refused", is_flag=True, help="Those that are to stay off the list.")
@json_option
def unlisted(days: int, refused: bool, as_json: bool) -> None:
    """List the devices that came to a door and are on no list: how often, and with whom.

    \b
    Example: caddrel devices unlisted
    """
    with connect() as service:
        _tell(service.unlisted.all(days, refused=refused), as_json)


@click.command()
@click.argument("device")
@click.option("--id", "id", default="", help="Its id from now on.  [default: its serial number in small letters]")
@click.option(
    "--owner", type=click.Choice(["company", "personal"]), default="company", show_default=True, help="Whose it is."
)
@click.option("--person", default="", help="The person who uses it.  [default: nobody in particular]")
@json_option
def vet(device: str, id: str, owner: Any, person: str, as_json: bool) -> None:
    """Put a device on the list, as one that may be used.

    \b
    Example: caddrel devices vet KL90000117 --id tab-9117 --person salka.myhre
    """
    with connect() as service:
        left = service.unlisted.vet(VetRequest(device, id or device.lower(), owner, person))
    if not as_json:
        remark(f"{device} is on the list.")
    _tell(left, as_json)


@click.command()
@click.argument("device")
@click.option("--because", required=True, help="Why it is to stay off the list.")
@json_option
def refuse(device: str, because: str, as_json: bool) -> None:
    """Keep a device off the list; it is not shown with the others any more.

    \b
    Example: caddrel devices refuse KL90000117 --because "Sold with the old ferry."
    """
    with connect() as service:
        left = service.unlisted.refuse(device, because)
    if not as_json:
        remark(f"{device} stays off the list.")
    _tell(left, as_json)


def _tell(found: UnlistedDevices, as_json: bool) -> None:
    if as_json:
        write_json(found)
        return
    if not found.items:
        say(f"Every device that came within {counted(found.days, 'day', 'days')} is listed, or was refused.")
    else:
        rows = [[each.device, _what(each), _times(each), _moment(each.last), _with(each)] for each in found.items]
        table(["device", "what it is", "seen", "last (UTC)", "with"], rows)
    if found.cut:
        remark("There are more than were looked at: ask for fewer days.")
    if found.refused:
        remark(f"{counted(found.refused, 'device', 'devices')} refused: see --refused.")


def _what(device: UnlistedDevice) -> str:
    return f"{device.platform} {device.os_version}".strip()


def _moment(moment: str) -> str:
    return moment[:16].replace("T", " ")


def _times(device: UnlistedDevice) -> str:
    return "once" if device.count == 1 else f"{device.count} times"


def _with(device: UnlistedDevice) -> str:
    more = f" and {device.of_people - len(device.people)} more" if device.of_people > len(device.people) else ""
    names = ", ".join(each.title for each in device.people) + more
    return f"{names} (refused by {device.refused_by}: {device.why})" if device.refused_by else names
