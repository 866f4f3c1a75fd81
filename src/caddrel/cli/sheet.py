"""`caddrel rulebook sheet`, `reviews`, `reviewed`: policies on a page each, for a reviewer."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from caddrel.cli.output import json_option, mark, remark, say, table, write_json
from caddrel.cli.profile import connect
from caddrel.cli.sheet_html import sheets_html
from caddrel.cli.sheet_markdown import sheets_markdown
from caddrel.client.caddrel import Caddrel
from caddrel.wire.sheets import PolicySheets

_FORMATS = {".md": "md", ".html": "html", ".pdf": "pdf"}


@click.command()
@click.argument("policy", required=False, default="")
@click.option("--under", default="", metavar="draft:NAME", help="As a draft has it.")
@click.option("--format", "form", type=click.Choice(["md", "html", "pdf"]), help="Markdown by default; by FILE's name.")
@click.option("--out", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE", help="Write it here.")
@json_option
def sheet(policy: str, under: str, form: str | None, out: Path | None, as_json: bool) -> None:
    """Write a policy on one page, or without one the whole rulebook with contents, for a reviewer.

    \b
    Examples: caddrel rulebook sheet farebox-at-the-counter
              caddrel rulebook sheet --out rulebook.pdf
    """
    if under and not under.startswith("draft:"):
        raise click.UsageError("--under takes draft:NAME")
    form = form or _FORMATS.get(out.suffix.lower() if out is not None else "", "md")
    if form == "pdf" and out is None:
        raise click.UsageError("a PDF needs --out FILE")
    with connect() as service:
        found = _sheets(service, policy, under.removeprefix("draft:"))
    if as_json:
        write_json(found.sheets[0] if policy else found)
        return
    if form == "pdf":
        # Loaded when it is asked for: it takes long, and nothing else needs it.
        from caddrel.cli.sheet_pdf import sheets_pdf

        assert out is not None
        out.write_bytes(sheets_pdf(found))
    else:
        text = sheets_html(found) if form == "html" else sheets_markdown(found)
        if out is None:
            sys.stdout.write(text)
            return
        out.write_text(text, encoding="utf-8")
    count = len(found.sheets)
    say(f"{count} {'policy is' if count == 1 else 'policies are'} in {out}.")


def _sheets(service: Caddrel, policy: str, draft: str) -> PolicySheets:
    if not policy:
        return service.sheets.all(draft)
    found = service.sheets.policy(policy, draft)
    return PolicySheets(found.revision, found.draft, "", "", [found])


@click.command()
@click.option("--owner", default="", help="Only policies of this owner.")
@click.option("--due", is_flag=True, help="Only those that are due; exit 1 when there are any.")
@json_option
def reviews(owner: str, due: bool, as_json: bool) -> None:
    """List policies with their last reviews: never reviewed, changed since, due again, or good.

    \b
    Example: caddrel rulebook reviews --due --owner "Fleet office"
    """
    with connect() as service:
        items = service.sheets.due(owner)
    if due:
        items = [each for each in items if each.state != "good"]
    if as_json:
        write_json({"items": items})
    else:
        rows = [
            (
                each.policy, each.owner, mark(each.mode), each.state,
                f"{each.last.at[:10]} by {each.last.by}" if each.last else "",
                each.last.again[:10] if each.last else "",
            )
            for each in items
        ]  # fmt: skip
        table(("policy", "owner", "mode", "state", "last", "again"), rows)
    if due and items:
        raise SystemExit(1)


@click.command()
@click.argument("policy")
@click.option("--again", default="", metavar="WHEN", help="When it is due again: 180d, or a moment.")
@click.option("--note", default="", help="What was seen.")
@json_option
def reviewed(policy: str, again: str, note: str, as_json: bool) -> None:
    """Keep that you have reviewed a policy as it is now.

    \b
    Example: caddrel rulebook reviewed farebox-at-the-counter --again 180d
    """
    with connect() as service:
        found = service.sheets.policy(policy)
        items = service.sheets.review(policy, found.digest, again, note)
    mine = next(each for each in items if each.policy == policy)
    if as_json:
        write_json(mine)
        return
    say(f"{found.title} is reviewed as it is.")
    if mine.last is not None and mine.last.again:
        remark(f"It is due again on {mine.last.again[:10]}.")
