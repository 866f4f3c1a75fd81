"""`caddrel rehearse`: decide an attempt that did not happen."""

from __future__ import annotations

import click

from caddrel.cli.cases_text import print_cases, print_matrix
from caddrel.cli.given import FORMS, facts_given, side
from caddrel.cli.output import json_option, plain, remark, say, write_json
from caddrel.cli.profile import connect
from caddrel.cli.rehearsal_text import print_beside, print_first_device, print_list, print_person, print_stages
from caddrel.cli.trace_text import print_decision, print_policies, print_remedies
from caddrel.core.facts.attempts import SHORT
from caddrel.wire.cases import AxisRequest, MatrixRequest
from caddrel.wire.decisions import RehearseRequest
from caddrel.wire.rulebooks import Side

_SUCH_AS = "person=ines.faro"


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
@click.option(
    "--beside",
    "changes",
    multiple=True,
    metavar="FACT=VALUE",
    help="Beside it the same with this fact instead; FACT= leaves it open.",
)
@click.option("--beside-rulebook", "other", metavar="FILE", help=f"Beside it the same against {FORMS}.")
@click.option(
    "--first-device",
    is_flag=True,
    help="The steps by which somebody who has nothing yet gets in, with a device of these facts.",
)
@click.option(
    "--policies",
    type=click.Choice(["order", "list"]),
    help="Show the policies in the order of the sign-in, or all of them as a list.",
)
@click.option("--trace", is_flag=True, help="Show every policy with the tests of its rules.")
@json_option
def rehearse(
    facts: tuple[str, ...],
    revision: int | None,
    file: str | None,
    across: tuple[str, ...],
    changes: tuple[str, ...],
    other: str | None,
    first_device: bool,
    policies: str | None,
    trace: bool,
    as_json: bool,
) -> None:
    """Tell what can come of an attempt that did not happen, whatever the facts are that are left out.

    `person`, `app` and `device` stand for their ids; sets are split at commas; methods may carry ages: pwd,otp:15m;
    time.at=now is this moment; a moment that is left out may be any, and where it matters the answer for now stands
    beside.

    \b
    Examples: caddrel rehearse person=ines.faro app=manifest
              caddrel rehearse person=ines.faro app=manifest device=tab-0117 device.os_version=15
              caddrel rehearse person=ines.faro app=manifest --across device.platform --across device.owner
              caddrel rehearse person=ines.faro app=manifest --beside person=bruno.krog
              caddrel rehearse person=ines.faro app=manifest --first-device device.platform=android
    """
    given = facts_given(facts, _SUCH_AS)
    under = side(file) if file is not None else Side()
    if revision is not None and under.revision is None:
        under = Side(revision, under.files, under.draft)
    if sum(map(bool, (across, changes or other, first_device))) > 1:
        raise click.UsageError("a table, two side by side and a first device are asked for one at a time")
    if across:
        _matrix(given, across, under, as_json)
    elif changes or other is not None:
        _beside(given, facts_given(changes, _SUCH_AS), under, side(other) if other is not None else under, as_json)
    elif first_device:
        _first_device(given, under, as_json)
    else:
        _one(given, under, policies, trace, as_json)


def _one(given: dict[str, str], under: Side, policies: str | None, trace: bool, as_json: bool) -> None:
    with connect() as service:
        answer = service.rehearse(given, files=under.files, revision=under.revision, draft=under.draft)
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
    if answer.person is not None:
        print_person(answer.person)
    if policies == "order":
        print_stages(answer.stages)
    elif policies == "list":
        print_list(answer.trace, answer.decision)
    if trace:
        print_policies(answer.trace, answer.decision)


def _matrix(given: dict[str, str], across: tuple[str, ...], under: Side, as_json: bool) -> None:
    if len(across) > 2:
        raise click.UsageError("give --across once, or twice")
    axes = []
    for text in across:
        fact, _, values = text.partition("=")
        axes.append(AxisRequest(fact, [each.strip() for each in values.split(",") if each.strip()]))
    asked = MatrixRequest(axes[0], axes[1] if len(axes) > 1 else None, given, under.draft, under.files, under.revision)
    with connect() as service:
        found = service.rehearsals.matrix(asked)
    if as_json:
        write_json(found)
        return
    print_matrix(found)


def _beside(given: dict[str, str], changes: dict[str, str], left: Side, right: Side, as_json: bool) -> None:
    short = {SHORT.get(name, name): text for name, text in given.items()}
    other = {**short, **{SHORT.get(name, name): text for name, text in changes.items()}}
    with connect() as service:
        found = service.rehearsals.beside(
            RehearseRequest(given=short, files=left.files, revision=left.revision, draft=left.draft),
            RehearseRequest(given=other, files=right.files, revision=right.revision, draft=right.draft),
        )
    if as_json:
        write_json(found)
        return
    print_beside(found)


def _first_device(given: dict[str, str], under: Side, as_json: bool) -> None:
    with connect() as service:
        found = service.rehearsals.first_device(given, files=under.files, draft=under.draft, revision=under.revision)
    if as_json:
        write_json(found)
        return
    print_first_device(found)
