"""`caddrel watch`: what is wrong, due or worth a look."""

from __future__ import annotations

import click
from rich.text import Text

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.output import SHAPES, json_option, plain, remark, say, table, write_json
from caddrel.cli.profile import connect
from caddrel.wire.watch import ShadowPolicy, Watch

_LIKE = {"wrong": "false", "due": "unknown", "look": "true"}


@click.command()
@click.option("--aside", is_flag=True, help="Show what is set aside too.")
@click.option("--set-aside", "key", metavar="KEY", help="Set a thing aside until it is another one; with --why.")
@click.option("--why", default="", help="The reason; an empty one takes it up again.")
@click.option("--shadow", is_flag=True, help="What each shadow policy alone would have done of late.")
@json_option
def watch(aside: bool, key: str | None, why: str, shadow: bool, as_json: bool) -> None:
    """Tell what is wrong, due or worth a look; exits with 1 when something is wrong, for a scheduler to mail it.

    \b
    Examples: caddrel watch
              caddrel watch --set-aside token:3f9a0c11d2e4 --why "It is replaced on Monday"
              caddrel watch --shadow
    """
    if shadow:
        _shadow(as_json)
        return
    with connect() as service:
        found = service.watch.look()
        if key is not None:
            marks = {item.key: item.mark for item in found.items}
            marks |= {f"first-step:{step.name}": "" for step in found.first_steps}
            if key not in marks:
                raise click.UsageError(f"there is nothing `{key}` to set aside; see caddrel watch --json")
            found = service.watch.set_aside(key, marks[key], why)
    if as_json:
        write_json(found)
    else:
        say(found.sentence)
        _first_steps(found)
        for item in found.items:
            if item.set_aside and not aside:
                continue
            shape, style = SHAPES[_LIKE[item.state]]
            style = "red" if item.state == "wrong" else style
            say(Text(f"{shape} {item.state:<6}", style=style) + Text(f" {plain(item.says)}"))
            if item.detail:
                say(Text(item.detail, style="dim"), indent=9)
            if item.set_aside:
                say(Text(f"set aside by {item.by}: {item.set_aside}", style="dim"), indent=9)
            say(Text(item.key, style="dim"), indent=9)
        hidden = sum(bool(item.set_aside) for item in found.items)
        if hidden and not aside:
            remark(f"{hidden} set aside; see caddrel watch --aside")
    if not found.well:
        raise AnswerIsNo


def _first_steps(found: Watch) -> None:
    """Tell what a new company has done, and what comes next."""
    if not found.first_steps:
        return
    say("First steps:")
    coming = next((step.name for step in found.first_steps if not step.taken and not step.skipped_by), "")
    for step in found.first_steps:
        shape = "✓" if step.taken else "–" if step.skipped_by else "→" if step.name == coming else " "
        say(Text(f"{shape} {step.title}", style="bold" if step.name == coming else ""), indent=2)
        if step.name == coming:
            say(step.why, indent=4)
            say(Text(step.command, style="dim"), indent=4)
            say(
                Text(f'to pass it over: caddrel watch --set-aside first-step:{step.name} --why "…"', style="dim"),
                indent=4,
            )


def _shadow(as_json: bool) -> None:
    with connect() as service:
        found = service.watch.shadow_policies()
    if as_json:
        write_json(found)
        return
    if not found:
        say("No policy is in shadow.")
        return
    rows = [
        [each.title, each.since[:10], str(each.blocked), str(each.challenged), str(len(each.people)), _ready(each)]
        for each in found
    ]
    table(["policy", "since", "would block", "challenge", "people", "ready?"], rows)


def _ready(policy: ShadowPolicy) -> str:
    return f"{'yes' if policy.ready else 'no'}: {policy.why}"
