"""`caddrel starter-code`: codes that let people enrol who have nothing to prove themselves with yet."""

from __future__ import annotations

import click

from caddrel.cli.output import json_option, remark, say, table, write_json, write_line
from caddrel.cli.profile import connect


@click.group()
def starter_code() -> None:
    """Starter codes: issue one, list them."""


@starter_code.command("issue")
@click.argument("person")
@click.option("--lasts", default="24h", show_default=True, help="How long it may be used, such as 8h.")
@click.option("--starts", default="", help="From when on, such as 2026-11-02T07:10:00Z; now when left out.")
@json_option
def issue(person: str, lasts: str, starts: str, as_json: bool) -> None:
    """Issue a code; it is shown this once, and used once.

    \b
    Example: caddrel starter-code issue salka.myhre --lasts 8h
    """
    with connect() as service:
        made = service.starter_codes.issue(person, lasts, starts)
    if as_json:
        write_json(made)
        return
    say(made.code)
    remark(f"Keep it: it is not shown again. For {person}, from {made.info.starts[:16]} to {made.info.ends[:16]} UTC.")


@starter_code.command("list")
@json_option
def list_codes(as_json: bool) -> None:
    """List codes without their texts; with --json one a line.

    \b
    Example: caddrel starter-code list
    """
    with connect() as service:
        found = service.starter_codes.all()
    if as_json:
        for code in found:
            write_line(code)
        return
    if not found:
        say("No starter code has been issued.")
        return
    rows = [
        (c.id, c.person, _short(c.starts), _short(c.ends), c.issued_by, c.used_for or _unused(c.revoked)) for c in found
    ]
    table(("id", "person", "from (UTC)", "to", "issued by", "used for"), rows)


def _unused(revoked: str | None) -> str:
    return "revoked" if revoked else "not used"


@starter_code.command("revoke")
@click.argument("id")
@json_option
def revoke(id: str, as_json: bool) -> None:
    """Revoke a code that nobody has used.

    \b
    Example: caddrel starter-code revoke 3f9a0c11d2e4
    """
    with connect() as service:
        service.starter_codes.revoke(id)
    if as_json:
        write_json({"id": id, "revoked": True})
        return
    remark(f"The starter code {id} is revoked.")


def _short(moment: str) -> str:
    return moment[5:16].replace("T", " ")
