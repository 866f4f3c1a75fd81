"""What a replay came to, as lines for a terminal."""

from __future__ import annotations

from rich.text import Text

from caddrel.cli.output import heading, mark, plain, say, table
from caddrel.core.words.pieces import counted
from caddrel.wire.replays import Flow, ReplayResult

MOST_SHOWN = 20
MOST_SHARES = 8


def print_replay(found: ReplayResult) -> None:
    """Write what changes, for whom, and because of which rules."""
    say(plain(found.sentence))
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
            line = (
                Text(f"{_called(found, 'policy', each.policy)} / {each.rule}  ")
                + mark(each.before)
                + Text(" to ")
                + mark(each.after)
            )
            say(
                line
                + Text(f"  {counted(each.count, 'sign-in')}, {counted(each.people, 'person', 'people')}", style="dim"),
                indent=2,
            )
    for kind, shares in found.by.items():
        if shares and found.changed.count:
            said = ", ".join(f"{_called(found, kind, share.name)} {share.count}" for share in shares[:MOST_SHARES])
            more = f" and {len(shares) - MOST_SHARES} more" if len(shares) > MOST_SHARES else ""
            say(Text(f"by {kind:<8}", style="dim") + Text(said + more))
    if found.hit:
        heading("Whom it hits")
        for person in found.hit[:MOST_SHOWN]:
            flows = ", ".join(f"{flow.count} {flow.before} to {flow.after}" for flow in person.flows)
            devices = f"; {', '.join(person.devices[:3])}" if person.devices else ""
            last = person.last[:16].replace("T", " ")
            say(f"{person.title} ({person.person}): {flows}; last {last}{devices}", indent=2)
            for need in person.needs:
                say(Text(need, style="dim"), indent=4)
        if len(found.hit) > MOST_SHOWN:
            say(f"and {len(found.hit) - MOST_SHOWN} more; see --json", indent=2)


def _called(found: ReplayResult, kind: str, id: str) -> str:
    return found.titles.get(kind, {}).get(id, id)


def _row(flow: Flow) -> list[str | Text | None]:
    return [mark(flow.before), mark(flow.after), *map(str, (flow.count, flow.people, flow.devices))]
