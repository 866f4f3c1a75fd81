"""`caddrel rescue`: when all else fails, on the host of the service."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click
import platformdirs

from caddrel.cli.host import key_file_option, open_from_host
from caddrel.cli.output import json_option, remark, say, table, write_json
from caddrel.cli.profile import DEFAULT_URL

if TYPE_CHECKING:
    from caddrel.wiring import Opened

HOST = "host"


def _go_back(opened: Opened, number: int, why: str) -> int:
    from caddrel import wiring
    from caddrel.service.problems import ServiceError

    try:
        return wiring.go_back(opened.runtime.data, number, why, HOST)
    except ServiceError as refused:
        raise click.UsageError(f"{refused.title}: {refused.hint}") from None


@click.command()
@click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False, exists=True),
    default=lambda: Path(platformdirs.user_data_dir("caddrel")),
    show_default="the user's data folder",
    help="The service's data folder on this machine.",
)
@click.option("--to", "number", type=int, help="Publish this revision again; it counts from the next decision on.")
@click.option("--why", default="", help="Why, for those who read the history.")
@click.option("--way-in", is_flag=True, help="Make a one-time way in to the console.")
@click.option("--url", help="What the service is called; that of the one that runs on the folder when left out.")
@key_file_option
@json_option
def rescue(
    data: Path, number: int | None, why: str, way_in: bool, url: str | None, key_file: Path | None, as_json: bool
) -> None:
    """List the revisions, go back to one, make a one-time way in; the service may run or not.

    It asks for no token and checks nothing: whoever can write the data folder may do it. It is recorded.

    \b
    Examples: caddrel rescue --data ./data
              caddrel rescue --data ./data --to 41 --why "42 locked the office out" --way-in
    """
    from caddrel import wiring

    if number is not None and not why.strip():
        raise click.UsageError("say why with --why")
    opened = open_from_host(data, key_file)
    url = url or wiring.url_of(data) or DEFAULT_URL
    try:
        made = _go_back(opened, number, why.strip()) if number is not None else None
        link = f"{url}/#/enter?code={wiring.way_in(opened.runtime.data)}" if way_in else None
        revisions = opened.runtime.data.revisions.all()
    finally:
        opened.close()
    if as_json:
        listed = [
            {"number": r.number, "published_at": r.published_at, "by": r.published_by, "why": r.why} for r in revisions
        ]
        write_json({"revisions": listed, "restored_as": made, "login_url": link})
        return
    if made is not None:
        say(f"Revision {number} is in force again, as revision {made}.")
    if link is not None:
        say(link)
        remark("Good once, for half an hour.")
    if made is None and link is None:
        rows = [(str(r.number), f"{r.published_at:%Y-%m-%d %H:%M}", r.published_by, r.why) for r in revisions]
        table(("revision", "published", "by", "why"), rows)
        remark("Go back to one with --to NUMBER --why …; get in with --way-in.")
