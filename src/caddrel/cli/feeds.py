"""`caddrel feeds`: what keeps the facts current, and who is told of them."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, get_args

import click

from caddrel.cli.output import json_option, remark, say, table, write_json
from caddrel.cli.profile import connect
from caddrel.core.diagnostics import did_you_mean
from caddrel.core.words.pieces import counted
from caddrel.wire.feeds import SAYS, TELLS, FeedRequest, FeedView, HookRequest, SourceRequest, Tells

_FILE = click.Path(path_type=Path, exists=True, dir_okay=False)


@click.group()
def feeds() -> None:
    """What keeps the facts current, and who is told of them: events, directories, lists that are fetched, hooks."""


@feeds.command("list")
@json_option
def listed(as_json: bool) -> None:
    """List feeds, streams and directories, each with its last word and what is wrong.

    \b
    Example: caddrel feeds list
    """
    with connect() as service:
        _tell(service.feeds.all(), as_json)


@feeds.command()
@click.argument("name")
@json_option
def show(name: str, as_json: bool) -> None:
    """Show one: what it keeps current or is told, its last word, its errors.

    \b
    Example: caddrel feeds show "threat feed"
    """
    with connect() as service:
        found = service.feeds.all()
    one = next((each for each in found if each.name == name), None)
    if one is None:
        hint = did_you_mean(name, [each.name for each in found], "see caddrel feeds list")
        raise click.UsageError(f"there is no feed `{name}`; {hint}")
    if as_json:
        write_json(one)
        return
    say(f"{one.name}: {one.kind}, {one.state}")
    say(
        f"{'is told' if one.kind in {'events out', 'hook'} else 'keeps current'}: {', '.join(one.keeps) or 'nothing'}",
        indent=2,
    )
    say(f"last word: {_short(one.last) or 'none yet'}; {counted(one.events, 'event', 'events')} taken", indent=2)
    if one.issuer:
        say(
            f"issuer {one.issuer}, for {one.audience}; a risk is believed for {counted(one.lasts_hours, 'hour')}",
            indent=2,
        )
    if one.targeted:
        say(f"whoever it tells to be in danger is in {one.targeted} as long", indent=2)
    if one.address:
        does = {"hook": "told at", "address list": "fetched from", "devices": "fetched from"}.get(one.kind, "asked at")
        say(f"it is {does} {one.address}", indent=2)
    if one.waiting:
        say(f"{counted(one.waiting, 'event waits', 'events wait')} for it", indent=2)
    if one.error:
        say(f"what is wrong: {one.error}", indent=2)


@feeds.command()
@click.argument("name")
@click.option("--issuer", required=True, help="What it calls itself: `iss` of its tokens.")
@click.option("--keys", type=_FILE, required=True, help="Its public keys: a JWK set, as at its jwks_uri.")
@click.option(
    "--audience", default="", help="What it calls us: `aud` of its tokens.  [default: this service's address]"
)
@click.option("--says", multiple=True, type=click.Choice(SAYS), help="What it may tell.  [default: all of these]")
@click.option(
    "--lasts", type=click.IntRange(1), default=168, show_default=True, help="Hours for which a risk is believed."
)
@click.option("--targeted", default="", help="The group whoever it tells to be in danger is in as long.")
@click.option("--poll", default="", help="Where it is asked for its events.  [default: it pushes them]")
@click.option("--token-file", type=_FILE, help="What it is asked with, a token: the one line of a file.")
@click.option("--every", type=click.IntRange(5), default=60, show_default=True, help="Seconds between two times.")
@json_option
def add(
    name: str, issuer: str, keys: Path, audience: str, says: tuple[Any, ...], lasts: int, targeted: str, poll: str,
    token_file: Path | None, every: int, as_json: bool,
) -> None:  # fmt: skip
    """Take events from somebody, by their keys; one of that name is changed.

    \b
    Example: caddrel feeds add "threat feed" --issuer https://feed.kelpline.example --keys jwks.json
    """
    try:
        document = json.loads(keys.read_text(encoding="utf-8"))
    except ValueError as error:
        raise click.UsageError(f"{keys}: not JSON: {error}") from None
    if not isinstance(document, dict):
        raise click.UsageError(f"{keys}: a JWK set is an object with `keys`")
    with connect() as service:
        token = token_file.read_text(encoding="utf-8").strip() if token_file is not None else ""
        asked = FeedRequest(name, issuer, document, audience, list(says), lasts, targeted, poll, token, every)
        _tell(service.feeds.add(asked), as_json)


@feeds.command()
@click.argument("name")
@click.argument("url")
@click.option(
    "--of", "tells", multiple=True, type=click.Choice(get_args(Tells)), help=f"Of what.  [default: {', '.join(TELLS)}]"
)
@click.option(
    "--as", "format", type=click.Choice(["cloudevents", "ocsf"]), default="cloudevents", show_default=True,
    help="CloudEvents 1.0, or OCSF Detection Findings.",
)  # fmt: skip
@json_option
def tell(name: str, url: str, tells: tuple[Any, ...], format: Any, as_json: bool) -> None:
    """Tell somebody by HTTPS POST what is new on the watch page; one of that name is changed.

    Each message is signed (RFC 9421) with the key at /ssf/v1/jwks; the first one says that it was added.

    \b
    Example: caddrel feeds tell "night desk" https://desk.kelpline.example/caddrel --of cause --of guarantee
    """
    with connect() as service:
        _tell(service.feeds.hook(HookRequest(name, url, format, list(tells))), as_json)


@feeds.command()
@click.argument("name")
@click.argument("source")
@click.option(
    "--devices", is_flag=True, help="It is not an address list but devices: NDJSON, or CSV by the file's name."
)
@click.option("--every", type=click.IntRange(30), default=3600, show_default=True, help="Seconds between two times.")
@json_option
def fetch(name: str, source: str, devices: bool, every: int, as_json: bool) -> None:
    """Fetch the address list NAME, or devices, from an https address or a file of `serve --incoming`.

    A list that is wrong somewhere, empty, ten times as long or as wide as a part of the world is not taken in: see
    `caddrel feeds take`.

    \b
    Example: caddrel feeds fetch bad-addresses https://lists.kelpline.example/bad.txt
             caddrel feeds fetch tablets tablets.csv --devices --every 60
    """
    with connect() as service:
        asked = SourceRequest(name, source, "devices" if devices else "lists", every)
        _tell(service.feeds.fetch(asked), as_json)


@feeds.command()
@click.argument("name")
@json_option
def take(name: str, as_json: bool) -> None:
    """Accept an address list that was fetched and held back, unless another was fetched since.

    \b
    Example: caddrel feeds take bad-addresses
    """
    with connect() as service:
        _tell(service.feeds.take(name), as_json)


@feeds.command()
@click.argument("name")
@click.option("--go-on", is_flag=True, help="Take its events again.")
@json_option
def pause(name: str, go_on: bool, as_json: bool) -> None:
    """Take nothing from a feed, or tell a receiver or hook nothing, for a while; with --go-on again.

    \b
    Example: caddrel feeds pause "threat feed"
             caddrel feeds pause "threat feed" --go-on
    """
    with connect() as service:
        _tell(service.feeds.pause(name, not go_on), as_json)


@feeds.command()
@click.argument("name")
@json_option
def remove(name: str, as_json: bool) -> None:
    """Take nothing from a feed any more, or take a stream or hook out.

    \b
    Example: caddrel feeds remove "threat feed"
    """
    with connect() as service:
        _tell(service.feeds.remove(name), as_json)


@feeds.command("new-key")
@json_option
def new_key(as_json: bool) -> None:
    """Have events signed with a new key from now on; the one before stays published for a month.

    \b
    Example: caddrel feeds new-key
    """
    with connect() as service:
        found = service.feeds.new_key()
    if as_json:
        _tell(found, as_json)
    else:
        remark("Events are signed with a new key.")


def _tell(found: list[FeedView], as_json: bool) -> None:
    if as_json:
        write_json({"items": found})
        return
    if not found:
        say("Nothing keeps the facts current by itself, and nobody is told of them.")
        return
    rows = [
        [each.name, each.kind, each.state, _short(each.last), str(each.events or each.waiting or ""), each.error[:60]]
        for each in found
    ]
    table(["name", "kind", "state", "last word (UTC)", "events", "what is wrong"], rows)


def _short(moment: str) -> str:
    return moment[:16].replace("T", " ")
