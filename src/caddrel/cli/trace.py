"""`caddrel trace`: why a sign-in came out as it did."""

from __future__ import annotations

import json

import click
from msgspec import structs
from rich.text import Text

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.output import heading, json_option, mark, plain, say, say_error, table, write_json
from caddrel.cli.profile import connect
from caddrel.cli.signins import filter_options
from caddrel.cli.trace_text import print_decision, print_policies, print_remedies, shape
from caddrel.wire.signins import SessionSince, SigninTrace


@click.command()
@click.argument("id", required=False)
@filter_options
@json_option
def trace(id: str | None, as_json: bool, **filters: str) -> None:
    """Tell why a sign-in came out as it did.

    By its id, by the reference that a blocked person quotes, or the newest that the filters select.

    \b
    Examples: caddrel trace s-004711
              caddrel trace 7K2QM-4XD9T
              caddrel trace --person ines.faro --outcome blocked
              caddrel trace s-004711 --json | caddrel decide --recheck -
    """
    given = {name: value for name, value in filters.items() if value}
    if (id is None) == (not given):
        raise click.UsageError("give an id or reference, or filters that select one")
    with connect() as service:
        if id is None:
            newest = service.signins.list(limit=1, **given).items
            if not newest:
                say_error("no sign-in matches these filters", "see caddrel signins list")
                raise AnswerIsNo
            id = newest[0].id
        found = service.signins.trace(id)
        record = service.signins.record(id) if as_json else None
    if record is not None:
        write_json({**structs.asdict(found), "record": record})
        return
    _print(found)


def _print_session(since: SessionSince) -> None:
    if since.ended:
        why = {"decided again": "it was decided again", "idle": "it was idle", "too old": "it was too old"}
        say(f"Over since {_moment(since.ended)}: {why.get(since.by, f'ended by {since.by}')}.", indent=2)
    else:
        say(f"In since {_moment(since.started)}, seen last {_moment(since.seen)}.", indent=2)
    if since.asks:
        say(f"The next request will be asked for {', '.join(since.asks)}.", indent=2)
    if since.because:
        say(f"because: {since.because}", indent=2)
    if since.held is not None:
        say(f"Held change {since.held} would end it: see caddrel sessions held.", indent=2)


def _moment(text: str) -> str:
    return f"{text[:16].replace('T', ' ')} UTC"


def _print(found: SigninTrace) -> None:
    summary = found.summary
    say(Text(plain(found.sentence), style="bold"))
    at = summary.at[:16].replace("T", " ")
    where = ", ".join(part for part in (summary.address, summary.country) if part)
    device = found.device_title or summary.device or "no device named"
    say(
        Text(
            f"{summary.id} · {summary.reference} · {at} UTC · from {where or 'an unknown place'} · {device}",
            style="dim",
        )
    )
    say("")
    print_decision(found.decision)
    credentials = summary.credentials or "not reported"
    say(Text("credentials ", style="dim") + Text(credentials))
    if summary.recorded_outcome:
        reason = f" ({summary.recorded_reason})" if summary.recorded_reason else ""
        say(Text("recorded   ", style="dim") + mark(summary.recorded_outcome) + Text(f"{reason} by the other system"))
    if not found.same:
        say(Text("Recomputing gives another outcome than was recorded.", style="bold red"))
    if found.fixes:
        heading("Fixes")
        for fix in found.fixes:
            say(
                shape(fix.truth) + Text(f" {fix.standard} / {fix.title}: ") + Text(fix.fix or "no fix is given"),
                indent=2,
            )
    print_remedies(found.remedies, found.decision)
    if found.now is not None:
        heading(f"Now, under revision {found.now.revision}")
        say(mark(found.now.decision.outcome) + Text(f"  {plain(found.now.sentence)}"), indent=2)
        if found.now.changed:
            say(Text(f"changed since: {', '.join(piece.text for piece in found.now.changed)}", style="dim"), indent=2)
    for name, outcome in found.drafts.items():
        say(Text(f"the draft {name}, in shadow then, would have made it ") + mark(outcome))
    if found.not_believed:
        heading("Claimed, and not believed")
        table(("fact", "claimed"), [(name, json.dumps(value)) for name, value in found.not_believed.items()])
    if found.since:
        heading("Facts that would be otherwise today")
        table(("fact", "then", "now"), [(c.fact, c.then or "not known", c.now or "not known") for c in found.since])
    if found.session is not None:
        heading("The session since")
        _print_session(found.session)
    print_policies(found.trace, found.decision)
    heading("Facts")
    rows = [(name, fact.shown, fact.origin) for name, fact in found.trace.facts.items()]
    table(("fact", "value", "from"), rows)
