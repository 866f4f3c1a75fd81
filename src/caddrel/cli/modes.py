"""`caddrel rulebook mode` and `widen`: small changes of the current revision, each published as one."""

from __future__ import annotations

import click

from caddrel.cli.output import json_option, say, write_json
from caddrel.cli.profile import connect
from caddrel.core.rulebook.model import MODES
from caddrel.wire.authoring import Edit
from caddrel.wire.rulebooks import PublishResult

_WHY = click.option("--why", required=True, help="Why, for those who read the history.")
_ACCEPT = click.option("--accept-lockout-risk", default="", metavar="REASON", help="As in rulebook publish.")


@click.command()
@click.argument("mode", type=click.Choice(MODES))
@click.argument("policy", nargs=-1)
@click.option("--labelled", help="Every policy with this label.")
@_WHY
@_ACCEPT
@json_option
def mode(
    mode: str, policy: tuple[str, ...], labelled: str | None, why: str, accept_lockout_risk: str, as_json: bool
) -> None:
    """Put policies into a mode: off, shadow or enforced; all of them in one revision.

    \b
    Example: caddrel rulebook mode enforced abroad satellite-hours --why "two quiet weeks in shadow"
    """
    if not policy and labelled is None:
        raise click.UsageError("name policies, or give --labelled")
    with connect() as service:
        named = list(policy)
        if labelled is not None:
            named += [each.id for each in service.rulebook.view().policies if labelled in each.labels]
        edits = [Edit(f"policies.{id}", "mode", mode) for id in dict.fromkeys(named)]
        made = service.rulebook.edit(edits, why, accept_lockout_risk)
    _tell(made, as_json)


@click.command()
@click.argument("policy")
@_WHY
@_ACCEPT
@json_option
def widen(policy: str, why: str, accept_lockout_risk: str, as_json: bool) -> None:
    """Have a policy apply to everyone instead of its pilot group; those whom it leaves out stay left out.

    \b
    Example: caddrel rulebook widen abroad --why "the pilot group had no trouble"
    """
    with connect() as service:
        made = service.rulebook.edit([Edit(f"policies.{policy}", "people")], why, accept_lockout_risk)
    _tell(made, as_json)


def _tell(made: PublishResult, as_json: bool) -> None:
    if as_json:
        write_json(made)
        return
    say(f"Revision {made.revision.number} is current: {made.revision.why}")
