"""`caddrel draft add`: a policy from a pattern."""

from __future__ import annotations

import click

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.given import facts_given
from caddrel.cli.object_text import print_object
from caddrel.cli.output import json_option, remark, say, write_json
from caddrel.cli.profile import connect
from caddrel.core.rulebook.patterns import patterns
from caddrel.wire.drafts import PatternRequest


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
@click.argument("given", nargs=-1, metavar="[ID] [BLANK=VALUE…]")
@click.option("--pattern", "chosen", required=True, help="What the policy is for; see --list-patterns.")
@click.option("--title", default="", help="Its title, instead of the pattern's.")
@click.option(
    "--list-patterns", is_flag=True, is_eager=True, expose_value=False, callback=_list_patterns, help="List patterns."
)
@json_option
def add(name: str, given: tuple[str, ...], chosen: str, title: str, as_json: bool) -> None:
    """Add a policy to a draft from a pattern; it begins in shadow. Its id follows from its title, or is given.

    \b
    Examples: caddrel draft add --list-patterns
              caddrel draft add fares --pattern second-factor apps=farebox within=4h
              caddrel draft add fares fares-need-mfa --pattern second-factor apps=farebox within=4h
    """
    id, blanks = (given[0], given[1:]) if given and "=" not in given[0] else ("", given)
    request = PatternRequest(pattern=chosen, id=id, blanks=facts_given(blanks, "apps=farebox"), title=title)
    with connect() as service:
        saved = service.drafts.add_from_pattern(name, service.drafts.get(name).info.version, request)
        view = service.drafts.look(name, saved.path)
    if as_json:
        write_json(saved)
        return
    say(f"{saved.path} is in the draft {name}, in shadow.")
    print_object(view)
    if any(each.severity == "error" for each in view.problems):
        raise AnswerIsNo
