"""`caddrel draft tidy`: what does nothing in a draft, taken out one by one."""

from __future__ import annotations

from collections.abc import Iterator

import click

from caddrel.cli.output import json_option, say, write_json
from caddrel.cli.profile import connect
from caddrel.client import Caddrel
from caddrel.core.words.pieces import counted
from caddrel.wire.proofs import IdleChange, IdleThing
from caddrel.wire.rulebooks import Side


@click.command()
@click.argument("name")
@click.option("--policy", default="", metavar="ID", help="Only what does nothing in this one, and it itself.")
@click.option("--rule", default="", metavar="ID", help="Only this rule of it.")
@json_option
def tidy(name: str, policy: str, rule: str, as_json: bool) -> None:
    """Take out of a draft what is proven to do nothing: afterwards every attempt comes to the same.

    Of two that each do nothing beside the other only one goes: what is left is proven anew after each.

    \b
    Example: caddrel draft tidy guests-at-the-berths
             caddrel draft tidy guests-at-the-berths --policy berths-for-guests --rule nobody-else
    """
    if rule and not policy:
        raise click.UsageError("--rule goes with --policy: rules are named within one")
    with connect() as service:
        gone = list(_take_out(service, name, policy, rule))
    if as_json:
        write_json({"taken_out": gone})
        return
    for each in gone:
        say(f"{each.change.path if each.change else each.policy}: taken out, as {each.says}.")
    say(f"{counted(len(gone), 'thing', 'things')} taken out." if gone else "Nothing of it does nothing for certain.")


def _take_out(service: Caddrel, name: str, policy: str, rule: str) -> Iterator[IdleThing]:
    while True:
        found = service.proofs.idle(Side(draft=name)).items
        wanted = (each for each in found if (not policy or each.policy == policy) and (not rule or each.rule == rule))
        chosen = next(((each, each.change) for each in wanted if each.change is not None and each.change.same), None)
        if chosen is None:
            return
        thing, change = chosen
        _put(service, name, change)
        yield thing
        if rule:
            # The rule that follows may be called the same now.
            return


def _put(service: Caddrel, name: str, change: IdleChange) -> None:
    version = service.drafts.get(name).info.version
    service.drafts.put_object(name, version, change.path, change.text)
