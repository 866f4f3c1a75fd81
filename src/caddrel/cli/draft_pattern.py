"""`caddrel draft add`: a policy from a pattern."""

from __future__ import annotations

import click

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.given import facts_given
from caddrel.cli.object_text import print_object
from caddrel.cli.output import json_option, remark, say, write_json
from caddrel.cli.profile import connect
from caddrel.core.diagnostics import did_you_mean
from caddrel.core.rulebook.patterns import patterns


def _list_patterns(context: click.Context, _option: click.Parameter, wanted: bool) -> None:
    if not wanted:
        return
    for each in patterns():
        say(f"{each.name}: {each.says}")
        for name, blank in each.blanks.items():
            remark(f"  {name}: {blank.asks}{f' [{blank.otherwise}]' if blank.otherwise else ''}")
    context.exit()


@click.command()
@click.argument("name")
@click.argument("id")
@click.argument("blanks", nargs=-1, metavar="[BLANK=VALUE…]")
@click.option("--pattern", "chosen", required=True, help="What the policy is for; see --list-patterns.")
@click.option("--title", default="", help="Its title, instead of the pattern's.")
@click.option(
    "--list-patterns", is_flag=True, is_eager=True, expose_value=False, callback=_list_patterns, help="List patterns."
)
@json_option
def add(name: str, id: str, blanks: tuple[str, ...], chosen: str, title: str, as_json: bool) -> None:
    """Add a policy to a draft from a pattern; it begins in shadow.

    \b
    Examples: caddrel draft add --list-patterns
              caddrel draft add fares fares-need-mfa --pattern second-factor apps=farebox within=4h
    """
    found = {each.name: each for each in patterns()}
    pattern = found.get(chosen)
    if pattern is None:
        hint = did_you_mean(chosen, found, "see caddrel draft add --list-patterns")
        raise click.UsageError(f"there is no pattern {chosen}; {hint}")
    policy, problems = pattern.filled(facts_given(blanks, f"{next(iter(pattern.blanks))}=…"))
    if problems:
        raise click.UsageError("; ".join(f"{each.message}. {each.hint}".strip(". ") for each in problems))
    if title:
        policy["title"] = title
    with connect() as service:
        there = service.drafts.get(name)
        paths = {each.path for each in there.objects}
        if f"policies.{id}" in paths:
            raise click.UsageError(f"the draft has a policy {id} already")
        version = there.info.version
        for section, parts in pattern.parts.items():
            for part, value in parts.items():
                if f"{section}.{part}" not in paths:
                    version = service.drafts.put_value(name, version, f"{section}.{part}", value).info.version
        saved = service.drafts.put_value(name, version, f"policies.{id}", policy)
        view = service.drafts.look(name, f"policies.{id}")
    if as_json:
        write_json(saved)
        return
    say(f"policies.{id} is in the draft {name}, in shadow.")
    print_object(view)
    if any(each.severity == "error" for each in view.problems):
        raise AnswerIsNo
