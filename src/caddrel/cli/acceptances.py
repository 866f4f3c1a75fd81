"""`caddrel acceptances`: who accepted which notice."""

from __future__ import annotations

from pathlib import Path

import click

from caddrel.cli.output import json_option, remark, say, table, write_json, write_pieces
from caddrel.cli.profile import connect

_PERSON = click.option("--person", default="", help="Only this person's.")
_NOTICE = click.option("--notice", default="", help="Only of this notice.")


@click.group()
def acceptances() -> None:
    """Acceptances of notices: list them, write them out."""


@acceptances.command("list")
@_PERSON
@_NOTICE
@click.option("--limit", type=click.IntRange(1, 1000), default=50, show_default=True, help="At most so many.")
@json_option
def listed(person: str, notice: str, limit: int, as_json: bool) -> None:
    """List who accepted which version of which notice, and when.

    \b
    Example: caddrel acceptances list --notice guest-terms
    """
    with connect() as service:
        found = service.acceptances.list(person, notice, limit=limit)
    if as_json:
        write_json(found)
        return
    if not found.items:
        say("Nobody has accepted a notice.")
        return
    rows = [(a.person, a.notice, str(a.version), a.accepted[:19].replace("T", " "), a.door) for a in found.items]
    table(("person", "notice", "version", "accepted (UTC)", "at"), rows)
    if found.total > len(found.items):
        remark(f"{found.total - len(found.items)} more: see --limit, or caddrel acceptances export.")


@acceptances.command("export")
@_PERSON
@_NOTICE
@click.option(
    "--format", type=click.Choice(["ndjson", "csv"]), default="ndjson", show_default=True, help="What to write."
)
@click.option("--out", type=click.Path(path_type=Path, dir_okay=False), help="A file; else standard output.")
@click.option("--json", "as_json", is_flag=True, help="Accepted for the sake of habit: see --format.")
def export(person: str, notice: str, format: str, out: Path | None, as_json: bool) -> None:
    """Write every acceptance: person, notice, version, moment, door and sign-in.

    \b
    Example: caddrel acceptances export --notice guest-terms --format csv --out accepted.csv
    """
    with connect() as service:
        write_pieces(service.acceptances.export(format, person, notice), out)
