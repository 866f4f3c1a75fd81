"""`caddrel tighten`: how many each choice of a limit would have hit, and moving the limit."""

from __future__ import annotations

import click
from rich.text import Text

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.given import FORMS, side
from caddrel.cli.jobs import finished
from caddrel.cli.output import json_option, plain, remark, say, table, write_json
from caddrel.cli.profile import connect
from caddrel.wire.limits import Choice, LimitList, Tightening, TighteningRequest

WIDTH = 24


@click.command()
@click.argument("limit", required=False)
@click.option("--under", default="current", metavar="FILE", help=f"Of which rulebook: {FORMS}. [default: current]")
@click.option("--since", default="7d", metavar="WHEN", help="Sign-ins from then on: 7d, a date or a moment.")
@click.option("--until", default="", metavar="WHEN", help="Up to then.")
@click.option("--where", default="", metavar="COND", help="Only sign-ins of which this holds, as of signins list.")
@click.option("--choices", default="", metavar="A,B,…", help="Values to try; without it, those that differ.")
@click.option("--fewer-than", default=5, metavar="N", help="Tell how strict it can be for fewer than N people.")
@click.option("--set", "value", metavar="VALUE", help="Move the limit of a draft to this.")
@json_option
def tighten(
    limit: str | None,
    under: str,
    since: str,
    until: str,
    where: str,
    choices: str,
    fewer_than: int,
    value: str | None,
    as_json: bool,
) -> None:
    """Tell how many people each choice of a limit would have hit; without a limit, list those there are.

    A limit is a least version, an age, a distance or a level of risk in a rule, a standard or a signal.

    \b
    Examples: caddrel tighten
              caddrel tighten standards.crew-tablet.patched --since 14d
              caddrel tighten policies.abroad.r1.when --fewer-than 20 --json
              caddrel tighten standards.crew-tablet.patched --under draft:tablets-need-may --set 16
    """
    of = side(under)
    with connect() as service:
        if limit is None:
            if value is not None:
                raise click.UsageError("--set needs a limit")
            _print_limits(service.tightenings.limits(of), as_json)
            return
        if value is not None:
            if not of.draft:
                raise click.UsageError("--set moves the limit of a draft: give --under draft:NAME")
            version = service.drafts.get(of.draft).info.version
            saved = service.tightenings.move(of.draft, version, limit, value)
            if as_json:
                write_json(saved)
            else:
                say(f"{limit} is {value} in draft {of.draft} now, version {saved.info.version}.")
                say(f"Whether its texts still fit: caddrel rulebook check draft:{of.draft}")
            return
        wanted = [each.strip() for each in choices.split(",") if each.strip()]
        request = TighteningRequest(of, limit, wanted, since, until, where, fewer_than)
        job = finished(service, service.tightenings.start(request))
        if job.state == "cancelled":
            remark("Cancelled; nothing is told of a part.")
            raise AnswerIsNo
        found = service.tightenings.result(job.id)
    if as_json:
        write_json(found)
    else:
        _print_curve(found)


def _print_limits(found: LimitList, as_json: bool) -> None:
    if as_json:
        write_json(found)
        return
    if not found.items:
        say("This rulebook has no limits that could be moved.")
        return
    width = max(len(each.address) for each in found.items)
    for each in found.items:
        changed = Text("  changed by the draft", style="dim") if each.address in found.changed else Text()
        say(Text(f"{each.address:<{width}}  ") + Text(each.words, style="dim") + changed)


def _print_curve(found: Tightening) -> None:
    say(plain(found.sentence))
    said = f"{found.limit.words} ({found.limit.title}), {found.under}, on {found.attempts:,} sign-ins"
    say(Text(said, style="dim"))
    if found.counted:
        say(Text(f"counted as if enforced: {', '.join(found.counted)}", style="dim"))
    say()
    most = max((each.hit.people for each in found.choices), default=0)
    columns = ["choice", "people hit", "", "devices", "sign-ins", "stopped", "asked"]
    table(columns, [_row(found, each, most) for each in found.choices])


def _row(found: Tightening, each: Choice, most: int) -> list[str | Text | None]:
    length = -(-each.hit.people * WIDTH // most) if most else 0
    marks = ["as it is"] * each.current + ["hits nobody"] * (each.value == found.nobody)
    marks += [f"under {found.fewer_than}"] * (each.value == found.few != found.nobody)
    bar = Text("█" * length) + Text(f"{' ' if length else ''}{', '.join(marks)}", style="dim")
    numbers = (each.hit.devices, each.hit.count, each.stopped.count, each.asked.count)
    return [each.value, str(each.hit.people), bar, *map(str, numbers)]
