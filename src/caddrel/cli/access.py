"""`caddrel token` and `caddrel account`: who may use the service."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click
import platformdirs

from caddrel.cli.host import key_file_option, open_from_host
from caddrel.cli.output import json_option, remark, say, table, write_json
from caddrel.cli.profile import DEFAULT_URL, connect
from caddrel.wire.access import TokenInfo, TokenMade

if TYPE_CHECKING:
    from caddrel.wiring import Opened

ROLES = click.Choice(["viewer", "author", "publisher", "operator"])
TOKEN_ROLES = click.Choice(["device", "door", "receiver", "directory", *ROLES.choices])


@click.group()
def token() -> None:
    """Tokens of programs."""


@token.command("create")
@click.argument("name")
@click.option("--role", type=TOKEN_ROLES, required=True, help="What it may do.")
@click.option("--days", type=click.IntRange(1, 3660), default=90, show_default=True, help="Days until it expires.")
@click.option("--only", multiple=True, metavar="AREA", help="What it is for, such as signins; else all its role may.")
@click.option("--reports", multiple=True, help="Of a door: a fact it may report, or the beginning of several.")
@click.option("--sees", is_flag=True, help="Of a door: decisions come with what is for administrators.")
@click.option(
    "--data",
    type=click.Path(path_type=Path, exists=True, file_okay=False),
    help="Make it on the host, in this data folder: for the first one, when nobody has a token yet.",
)
@key_file_option
@json_option
def create(
    name: str,
    role: str,
    days: int,
    reports: tuple[str, ...],
    sees: bool,
    only: tuple[str, ...],
    data: Path | None,
    key_file: Path | None,
    as_json: bool,
) -> None:
    """Make a token; it is shown this once.

    A door asks for decisions and may do nothing else; without --reports it may say what only a door can see. A device
    reports its own state; its token has the device's id for its name.

    \b
    Examples: caddrel token create nightly-import --role operator --only signins --only jobs --days 30
              caddrel token create front-door --role door --reports network --reports auth
              caddrel token create mine --role operator --days 30 --data ./data
    """
    if data is not None:
        made = _made_here(open_from_host(data, key_file), name, role, days, reports, sees, only)
    else:
        with connect() as service:
            made = service.tokens.create(name, role, days, reports, sees, only)
    if as_json:
        write_json(made)
        return
    say(made.token)
    remark(f"Keep it: it is not shown again. Role {made.info.role}, expires {made.info.expires_at}.")


def _made_here(
    opened: Opened, name: str, role: str, days: int, reports: tuple[str, ...], sees: bool, only: tuple[str, ...]
) -> TokenMade:
    """Return a token made in a data folder, whether a service works on it or not; the audit trail notes the host."""
    from caddrel import wiring
    from caddrel.service.problems import ServiceError

    try:
        made, secret = wiring.token_from_host(opened.runtime.data, name, role, days, reports, sees, only)
    except ServiceError as refused:
        raise click.UsageError(f"{refused.title}: {refused.hint}") from None
    finally:
        opened.close()
    expires = made.expires_at.isoformat() if made.expires_at is not None else None
    created = made.created_at.isoformat()
    info = TokenInfo(
        made.id, made.name, made.role, created, made.created_by, expires, False, list(made.reports), made.sees,
        list(made.only),
    )  # fmt: skip
    return TokenMade(info, secret)


@token.command("list")
@json_option
def list_tokens(as_json: bool) -> None:
    """List tokens, without secrets.

    \b
    Example: caddrel token list
    """
    with connect() as service:
        found = service.tokens.all()
    if as_json:
        write_json({"items": found})
        return
    rows = [
        (
            t.id,
            t.name,
            t.role,
            ", ".join(t.only) or "all",
            (t.expires_at or "")[:10],
            (t.used_at or "")[:16].replace("T", " "),
            "revoked" if t.revoked else "in use",
        )
        for t in found
    ]
    table(("id", "name", "role", "for", "expires", "last used", "state"), rows)


@token.command("revoke")
@click.argument("id")
@json_option
def revoke(id: str, as_json: bool) -> None:
    """Revoke a token, from the next request on.

    \b
    Example: caddrel token revoke 3f9a0c11d2e4
    """
    with connect() as service:
        plans = next((token.plans for token in service.tokens.all() if token.id == id), [])
        service.tokens.revoke(id)
    for plan in plans:
        remark(f"The draft {plan} was to be published by its word: that is held now.")
    if as_json:
        write_json({"id": id, "revoked": True})
        return
    remark(f"Token {id} is revoked.")


@click.group()
def account() -> None:
    """Accounts of the console."""


@account.command("put")
@click.argument("name")
@click.option("--role", type=ROLES, required=True, help="What it may do.")
@click.option("--password", is_flag=True, help="Ask for a password.")
@json_option
def put(name: str, role: str, password: bool, as_json: bool) -> None:
    """Add an account, or change its role; without --password it keeps the password that it has.

    \b
    Example: caddrel account put maren --role publisher --password
    """
    secret = click.prompt("Password", hide_input=True, confirmation_prompt=True) if password else ""
    with connect() as service:
        service.accounts.put(name, role, secret)
    if as_json:
        write_json({"name": name, "role": role})
        return
    remark(f"Account {name} has the role {role}.")


@account.command("list")
@json_option
def list_accounts(as_json: bool) -> None:
    """List accounts.

    \b
    Example: caddrel account list
    """
    with connect() as service:
        found = service.accounts.all()
    if as_json:
        write_json({"items": found})
        return
    rows = [(a.name, a.role, "set" if a.has_password else "none", ", ".join(a.factors) or "none") for a in found]
    table(("name", "role", "password", "second factors"), rows)


@account.command("remove")
@click.argument("name")
@json_option
def remove(name: str, as_json: bool) -> None:
    """Take an account out: its console sessions end, and what it planned is held.

    \b
    Example: caddrel account remove maren
    """
    with connect() as service:
        service.accounts.remove(name)
    if as_json:
        write_json({"name": name, "removed": True})
        return
    remark(f"The account {name} is gone.")


@account.command("sessions")
@click.option("--end", metavar="NAME", help="End the console sessions of this account.")
@json_option
def sessions(end: str | None, as_json: bool) -> None:
    """List who is signed in to the console, since when and from where; or end an account's sessions.

    \b
    Example: caddrel account sessions --end maren
    """
    with connect() as service:
        found = service.accounts.end_sessions(end) if end else service.accounts.sessions()
    if as_json:
        write_json({"items": found})
        return
    rows = [
        (s.account, s.created_at[:16].replace("T", " "), s.seen_at[:16].replace("T", " "), s.address) for s in found
    ]
    table(("account", "since (UTC)", "last used", "from"), rows)


@account.command("enter")
@click.argument("name", default="operator")
@click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False, exists=True),
    default=lambda: Path(platformdirs.user_data_dir("caddrel")),
    show_default="the user's data folder",
    help="The service's data folder on this machine.",
)
@click.option("--url", help="What the service is called; that of the one that runs on the folder when left out.")
@key_file_option
@json_option
def enter(name: str, data: Path, url: str | None, key_file: Path | None, as_json: bool) -> None:
    """Make a one-time way in to the console, on the host of the service.

    \b
    Example: caddrel account enter operator --data ./data
    """
    from caddrel import wiring

    opened = open_from_host(data, key_file)
    try:
        code = wiring.way_in(opened.runtime.data, name)
    finally:
        opened.close()
    link = f"{url or wiring.url_of(data) or DEFAULT_URL}/#/enter?code={code}"
    if as_json:
        write_json({"login_url": link})
        return
    say(link)
