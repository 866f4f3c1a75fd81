"""`caddrel rulebook grid`: what sign-ins of each audience to each app can meet."""

from __future__ import annotations

import csv
import sys

import click
from rich.text import Text

from caddrel.cli.given import FORMS, facts_given, side
from caddrel.cli.output import SHAPES, heading, json_option, mark, remark, say, table, write_json
from caddrel.cli.profile import connect
from caddrel.wire.coverage import CellDetail, CoverageGrid, GridCell, GridRequest

# At most so many apps beside one another; the others follow below.
_ACROSS = 8


@click.command("grid")
@click.argument("facts", nargs=-1, metavar="[FACT=VALUE…]")
@click.option("--where", default="", metavar="COND", help="A condition that holds of every sign-in.")
@click.option("--rulebook", "file", metavar="FILE", help=f"Of {FORMS}, instead of the current revision.")
@click.option("--under", default="", metavar="FILE", help=f"Show the cells that are others under {FORMS}.")
@click.option("--cell", metavar="AUDIENCE APP", nargs=2, help="What is behind one cell.")
@click.option("--csv", "as_csv", is_flag=True, help="Write CSV: a line for each cell.")
@json_option
def grid(
    facts: tuple[str, ...],
    where: str,
    file: str | None,
    under: str,
    cell: tuple[str, str] | None,
    as_csv: bool,
    as_json: bool,
) -> None:
    """Show what sign-ins of everyone, and of each kind, group and role that policies name, can meet at each app.

    A cell has the mildest and the strictest outcome that any such sign-in meets. Each comes with a password alone, no
    risk and no signal, unless you say otherwise: auth.methods=pwd,otp, risk.attempt=high. What you do not say stays
    open. Where a password alone is allowed by no rule but the stance, the cell says so: "nothing asks for more".

    \b
    Examples: caddrel rulebook grid
              caddrel rulebook grid device.managed=no --where "not from terminals"
              caddrel rulebook grid --under draft:tablets-need-may
              caddrel rulebook grid --cell group:deck-crew manifest
    """
    asked = _request(facts_given(facts, "device.managed=yes"), where, file, under)
    with connect() as service:
        if cell:
            detail = service.coverage.cell(asked, *cell)
            write_json(detail) if as_json else _print_cell(detail)
            return
        found = service.coverage.grid(asked)
    if as_json:
        write_json(found)
    elif as_csv:
        _write_csv(found)
    else:
        _print(found, bool(under))


def _request(given: dict[str, str], where: str, file: str | None, under: str) -> GridRequest:
    of, other = side(file) if file is not None else side("current"), side(under) if under else None
    if other is not None and other.revision is not None:
        raise click.UsageError("--under compares with a file, a folder or a draft; name the revision with --rulebook")
    return GridRequest(
        given, where, of.draft, of.files, of.revision,
        other.draft if other is not None else "", other.files if other is not None else None,
    )  # fmt: skip


def _print(found: CoverageGrid, compared: bool) -> None:
    context = ", ".join(f"{name} {value}" for name, value in found.given.items())
    say(Text(f"Every sign-in: {context}{f'; and {found.where}' if found.where else ''}.", style="dim"))
    for start in range(0, len(found.apps), _ACROSS):
        apps = found.apps[start : start + _ACROSS]
        rows: list[list[str | Text | None]] = [
            [f"{row.title} ({row.people})", *(_shown(cell, found) for cell in row.cells[start : start + _ACROSS])]
            for row in found.rows
        ]
        table(["audience", *(app.id for app in apps)], rows)
    marks = Text("  ").join(mark(each) for each in ("allowed", "challenged", "blocked"))
    say(Text("Mildest and strictest: ", style="dim") + marks)
    if found.password_alone:
        say(Text("! a password alone is enough, and no rule asks for more in some case", style="dim"))
    say(Text("– nobody is in it, or nobody can come so", style="dim"))
    if compared:
        say(f"{found.changed} {'cell is' if found.changed == 1 else 'cells are'} different: before → after.")
    if not found.exact:
        remark("Not all values of some fact were looked at: other outcomes are not excluded.")


def _shown(cell: GridCell, found: CoverageGrid) -> Text:
    shown = ends(cell.possible)
    if cell.instead is not None:
        shown = shown + Text(" → ") + ends(cell.instead)
    if found.password_alone and "allowed" in cell.by_stance:
        shown = shown + Text(" !", style="bold")
    return shown


def ends(possible: list[str]) -> Text:
    """Return the mildest and the strictest outcome as their shapes."""
    if not possible:
        return Text("–")
    ends = dict.fromkeys((possible[0], possible[-1]))
    return Text("").join(Text(SHAPES[each][0], style=SHAPES[each][1]) for each in ends)


def _print_cell(found: CellDetail) -> None:
    if not found.outcomes:
        say("Nobody is in it, or nobody can come so.")
    for each in found.outcomes:
        heading(each.outcome.capitalize())
        rules = ", ".join(f"{ref.policy}/{ref.rule}" for ref in each.deciding)
        say(f"by {rules}" if rules else "by the stance alone: no rule decides")
        facts = " ".join(f"{name}={_word(value)}" for name, value in each.facts.items())
        say(Text(f"for instance: {facts}", style="dim"), indent=2)
    if not found.exact:
        remark("Not all values of some fact were looked at: other outcomes are not excluded.")


def _word(value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return ",".join(map(str, value)) if isinstance(value, list | dict) else str(value)


def _write_csv(found: CoverageGrid) -> None:
    writer = csv.writer(sys.stdout, lineterminator="\n")
    writer.writerow(
        ["audience", "people", "app", "mildest", "strictest", "by_stance", "mildest_under", "strictest_under"]
    )
    for row in found.rows:
        for app, cell in zip(found.apps, row.cells, strict=True):
            ends = [cell.possible[0], cell.possible[-1]] if cell.possible else ["", ""]
            other = cell.possible if cell.instead is None else cell.instead
            after = [other[0], other[-1]] if other else ["", ""]
            writer.writerow([row.audience, row.people, app.id, *ends, " ".join(cell.by_stance), *after])
