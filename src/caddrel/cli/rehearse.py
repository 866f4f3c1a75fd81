"""`caddrel rehearse`: decide an attempt that did not happen."""

from __future__ import annotations

import click

from caddrel.cli.cases_text import print_cases, print_matrix
from caddrel.cli.given import FORMS, side
from caddrel.cli.output import json_option, plain, remark, say, write_json
from caddrel.cli.profile import connect
from caddrel.cli.trace_text import print_decision, print_policies, print_remedies
from caddrel.wire.cases import AxisRequest, MatrixRequest
from caddrel.wire.rulebooks import Side


@click.command()
@click.argument("facts", nargs=-1, metavar="FACT=VALUE…")
@click.option("--revision", type=int, help="Against this revision instead of the current one.")
@click.option("--rulebook", "file", metavar="FILE", help=f"Against {FORMS}.")
@click.option(
    "--across",
    multiple=True,
    metavar="FACT[=VALUE,…]",
    help="Every value of a fact, or those given; twice for a table of two. person=group:ID for the people of a group.",
)
@click.option("--trace", is_flag=True, help="Show every policy with the tests of its rules.")
@json_option
def rehearse(
    facts: tuple[str, ...], revision: int | None, file: str | None, across: tuple[str, ...], trace: bool, as_json: bool
) -> None:
    """Tell what can come of an attempt that did not happen, whatever the facts are that are left out.

    `person`, `app` and `device` stand for their ids; sets are split at commas; methods may carry ages: pwd,otp:15m.

    \b
    Examples: caddrel rehearse person=ines.faro app=manifest
              caddrel rehearse person=ines.faro app=manifest device=tab-0117 device.os_version=15
              caddrel rehearse person=ines.faro app=manifest --across device.platform --across device.owner
    """
    given: dict[str, str] = {}
    for pair in facts:
        name, equals, value = pair.partition("=")
        if not equals or not name:
            raise click.UsageError(f"{pair}: write FACT=VALUE, such as person=ines.faro")
        if name in given:
            raise click.UsageError(f"{name} is given twice")
        given[name] = value
    under = side(file) if file is not None else Side()
    if across:
        _matrix(given, across, under, revision, as_json)
        return
    with connect() as service:
        number = under.revision if under.revision is not None else revision
        answer = service.rehearse(given, files=under.files, revision=number, draft=under.draft)
    if as_json:
        write_json(answer)
        return
    for text in answer.remarks:
        remark(text)
    print_cases(answer.cases)
    if answer.cases.settled:
        print_decision(answer.decision)
        print_remedies(answer.remedies, answer.decision)
    else:
        say(plain(answer.cases.door))
    if trace:
        print_policies(answer.trace, answer.decision)


def _matrix(given: dict[str, str], across: tuple[str, ...], under: Side, revision: int | None, as_json: bool) -> None:
    if len(across) > 2:
        raise click.UsageError("give --across once, or twice")
    axes = []
    for text in across:
        fact, _, values = text.partition("=")
        axes.append(AxisRequest(fact, [each.strip() for each in values.split(",") if each.strip()]))
    number = under.revision if under.revision is not None else revision
    asked = MatrixRequest(axes[0], axes[1] if len(axes) > 1 else None, given, under.draft, under.files, number)
    with connect() as service:
        found = service.matrix(asked)
    if as_json:
        write_json(found)
        return
    print_matrix(found)
