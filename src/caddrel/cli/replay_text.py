"""What a replay came to, as lines for a terminal."""

from __future__ import annotations

from collections.abc import Iterable

from rich.text import Text

from caddrel.cli.output import heading, mark, say, table
from caddrel.core.rulebook.model import OUTCOMES
from caddrel.wire.replays import Flow, ReplayResult

MOST_SHOWN = 20


def print_replay(found: ReplayResult) -> None:
    """Write what changes, for whom, and because of which rules."""
    say(_first(found))
    say(Text(f"{found.under}, against {found.rulebook}", style="dim"))
    if found.undetermined:
        lacking = f" for want of {', '.join(found.lacking[:4])}" if found.lacking else ""
        say(f"{found.undetermined} of them are not certain{lacking}.")
    if found.meaning:
        say(f"{found.meaning} were recorded otherwise only because decisions meant something else then.")
    if found.flows:
        say()
        ordered = sorted(found.flows, key=lambda flow: (flow.before == flow.after, -flow.count))
        table(["from", "to", "sign-ins", "people", "devices"], [_row(flow) for flow in ordered])
    if found.because:
        heading("Because of")
        for each in found.because[:MOST_SHOWN]:
            line = Text(f"{each.policy} / {each.rule}  ") + mark(each.before) + Text(" to ") + mark(each.after)
            say(line + Text(f"  {each.count} sign-ins, {each.people} people", style="dim"), indent=2)
    if found.hit:
        heading("Whom it hits")
        for person in found.hit[:MOST_SHOWN]:
            flows = ", ".join(f"{flow.count} {flow.before} to {flow.after}" for flow in person.flows)
            devices = f"; {', '.join(person.devices[:3])}" if person.devices else ""
            last = person.last[:16].replace("T", " ")
            say(f"{person.title} ({person.person}): {flows}; last {last}{devices}", indent=2)
        if len(found.hit) > MOST_SHOWN:
            say(f"and {len(found.hit) - MOST_SHOWN} more; see --json", indent=2)


def _first(found: ReplayResult) -> str:
    """Return what it comes to in one sentence."""
    if not found.attempts:
        return "No sign-in was found to replay."
    if not found.changed.count:
        return f"Nothing changes: all {found.attempts} sign-ins of {found.people} people come out as before."
    said = []
    for word, outcome in (("be stopped", "blocked"), ("be asked for more", "challenged"), ("be let in", "allowed")):
        flows = [flow for flow in found.flows if flow.after == outcome != flow.before]
        if flows:
            said.append(f"{sum(flow.count for flow in flows)} sign-ins would {word} that are {_were(flows)} now")
    return f"{'; '.join(said)}. {found.changed.people} people are concerned, of {found.people}."


def _were(flows: Iterable[Flow]) -> str:
    before = {flow.before for flow in flows}
    return " or ".join(each for each in OUTCOMES if each in before)


def _row(flow: Flow) -> list[str | Text | None]:
    return [mark(flow.before), mark(flow.after), *map(str, (flow.count, flow.people, flow.devices))]
