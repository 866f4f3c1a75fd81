"""`caddrel draft`: what is being written, before it is published."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from caddrel.cli.draft_pattern import add
from caddrel.cli.draft_tidy import tidy
from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.files import read_text, read_value, rulebook_files
from caddrel.cli.object_text import print_object
from caddrel.cli.output import json_option, mark, remark, say, table, write_json, write_line
from caddrel.cli.profile import connect
from caddrel.client import Caddrel
from caddrel.core.diagnostics import did_you_mean
from caddrel.core.words.pieces import counted
from caddrel.wire.drafts import AcceptRequest, DraftInfo, ObjectSaved, WholeDraft

_FILE = click.Path(path_type=Path, exists=True, allow_dash=True)


@click.group()
def draft() -> None:
    """Drafts: begin one, change it, move it onto a newer revision, publish or discard it.

    Wherever a rulebook is asked for, `draft:NAME` stands for one.
    """


@draft.command("list")
@json_option
def listed(as_json: bool) -> None:
    """List drafts, those published or discarded too; with --json one a line.

    \b
    Example: caddrel draft list
    """
    with connect() as service:
        found = service.drafts.all()
    if as_json:
        for each in found:
            write_line(each)
        return
    if not found:
        say("There is no draft. Begin one: caddrel draft begin NAME")
        return
    rows = [
        (
            each.name,
            f"{each.base or 'none'}{' (behind)' if each.behind and not each.discarded else ''}",
            str(each.changed),
            each.saved[:16].replace("T", " "),
            each.saved_by,
            f"revision {each.published}" if each.published else "discarded" if each.discarded else "",
        )
        for each in found
    ]
    table(("name", "on revision", "changed", "saved (UTC)", "by", ""), rows)


@draft.command()
@click.argument("name")
@click.argument("file", type=_FILE, required=False)
@click.option("--revision", type=int, help="On top of this revision instead of the current one.")
@json_option
def begin(name: str, file: Path | None, revision: int | None, as_json: bool) -> None:
    """Begin a draft, with the documents of its revision, or with those of a file or folder.

    \b
    Example: caddrel draft begin tablets-need-may
    """
    with connect() as service:
        made = service.drafts.begin(name, revision, rulebook_files(file) if file is not None else None)
    _tell(made, as_json)


@draft.command()
@click.argument("name")
@click.argument("path", required=False)
@json_option
def show(name: str, path: str | None, as_json: bool) -> None:
    """Show a draft's documents, or one object by its path, such as policies.abroad.

    \b
    Example: caddrel draft show tablets-need-may standards.crew-tablet
    """
    with connect() as service:
        found = service.drafts.get(name)
    if as_json:
        write_json(found)
        return
    if path is None:
        for file in found.files:
            sys.stdout.write(file.text)
        return
    one = next((each for each in found.objects if each.path == path), None)
    if one is None:
        raise click.UsageError(f"{path}: the draft has no such object; see caddrel draft show {name} --json")
    sys.stdout.write(one.text)


@draft.command()
@click.argument("name")
@click.argument("path")
@click.argument("file", type=_FILE, required=False)
@click.option("--remove", is_flag=True, help="Take the object out.")
@click.option("--version", type=int, help="The version that you read; the present one when left out.")
@json_option
def put(name: str, path: str, file: Path | None, remove: bool, version: int | None, as_json: bool) -> None:
    """Put one object of a draft from a file, or take it out; the rest stays as it is.

    \b
    Example: caddrel draft put tablets-need-may standards.crew-tablet crew-tablet.yaml
             caddrel draft put tablets-need-may policies.midwinter-freeze --remove
    """
    if (file is None) != remove:
        raise click.UsageError("give a file, - for standard input, or --remove")
    text = None if file is None else sys.stdin.read() if str(file) == "-" else read_text(file)
    with connect() as service:
        seen = version if version is not None else service.drafts.get(name).info.version
        made = service.drafts.put_object(name, seen, path, text)
    _tell_object(made, as_json)


@draft.command("set")
@click.argument("name")
@click.argument("path")
@click.argument("field")
@click.argument("value", required=False)
@click.option("--remove", is_flag=True, help="Take the field out.")
@click.option("--new", is_flag=True, help="Begin the object, when it is not there.")
@json_option
def set_field(name: str, path: str, field: str, value: str | None, remove: bool, new: bool, as_json: bool) -> None:
    """Set one field of an object, given as YAML; other lines stay.

    \b
    Example: caddrel draft set tablets-need-may policies.abroad mode enforced
             caddrel draft set tablets-need-may policies.abroad people "[group:crew]"
    """
    if (value is None) != remove:
        raise click.UsageError("give a value, or --remove")
    with connect() as service:
        whole = service.drafts.get(name)
        paths = [each.path for each in whole.objects if each.text]
        there = path in paths
        if not there and not new:
            hint = did_you_mean(path, paths)
            raise click.UsageError(
                f"{path}: the draft has no such object; {hint} To begin it say --new.".replace("  ", " ")
            )
        fields = dict(service.drafts.look(name, path).value) if there else {}
        if value is None:
            fields.pop(field, None)
        else:
            fields[field] = read_value(value)
        made = service.drafts.put_value(name, whole.info.version, path, fields)
    _tell_object(made, as_json)


@draft.command()
@click.argument("name")
@click.argument("code")
@click.argument("object")
@click.option("--because", required=True, help="Why it stands.")
@click.option("--until", default="", metavar="DAY", help="The last day on which it stands, such as 2027-06-30.")
@json_option
def accept(name: str, code: str, object: str, because: str, until: str, as_json: bool) -> None:
    """Have a draft say that a finding was looked at and stands; it is told as a note from then on.

    \b
    Example: caddrel draft accept abroad person-by-name policies.abroad --because "Two captains only."
    """
    with connect() as service:
        seen = service.drafts.get(name).info.version
        made = service.drafts.accept(name, seen, AcceptRequest(code, object, because, until))
    if as_json:
        write_json(made)
        return
    say(f"{code} at {object} stands in the draft {name}{f' until {until}' if until else ''}: {because}")


@draft.command()
@click.argument("name")
@click.argument("path")
@click.option("--covers", type=click.Choice(["people", "apps"]), help="List whom or what it covers instead.")
@json_option
def look(name: str, path: str, covers: str | None, as_json: bool) -> None:
    """Look at one object: its sentence, what is wrong, whom it covers, what the door shows, what uses it.

    \b
    Example: caddrel draft look tablets-need-may policies.abroad
             caddrel draft look tablets-need-may policies.abroad --covers people
    """
    with connect() as service:
        if covers is not None:
            _list_covered(service, name, path, covers, as_json)
            return
        found = service.drafts.look(name, path)
    if as_json:
        write_json(found)
        return
    print_object(found)


def _list_covered(service: Caddrel, name: str, path: str, side: str, as_json: bool) -> None:
    after: str | None = ""
    while after is not None:
        page = service.drafts.covered(name, path, side, after, 1000)
        for each in page.items:
            if as_json:
                write_line(each)
            else:
                say(f"{each.id}  {each.title}{f'  ({each.note})' if each.note else ''}")
        after = page.following


@draft.command()
@click.argument("name")
@click.argument("file", type=_FILE)
@click.option("--version", type=int, help="The version that you read; the present one when left out.")
@json_option
def save(name: str, file: Path, version: int | None, as_json: bool) -> None:
    """Save a draft's documents from a file or folder.

    \b
    Example: caddrel draft save tablets-need-may rulebook.yaml --version 3
    """
    with connect() as service:
        seen = version if version is not None else service.drafts.get(name).info.version
        made = service.drafts.save(name, seen, rulebook_files(file))
    _tell(made, as_json)


@draft.command()
@click.argument("name")
@click.option("--take", multiple=True, metavar="PATH=SIDE", help="Where both changed an object: mine or theirs.")
@json_option
def move(name: str, take: tuple[str, ...], as_json: bool) -> None:
    """Move a draft onto the current revision; what both have changed is told, and nothing is moved until it is settled.

    \b
    Example: caddrel draft move tablets-need-may --take policies.abroad=mine
    """
    taking = dict(pair.rpartition("=")[::2] for pair in take)
    with connect() as service:
        seen = service.drafts.get(name).info.version
        found = service.drafts.move(name, seen, taking)
    if as_json:
        write_json(found)
    elif found.conflicts:
        for conflict in found.conflicts:
            say(f"{conflict.path} was changed here and there.")
            for side, text in (("mine", conflict.mine), ("theirs", conflict.theirs)):
                say(f"{side}:", indent=2)
                sys.stdout.write("".join(f"    {line}\n" for line in (text or "(taken out)").splitlines()))
        remark("Nothing was moved. Say which to take: --take PATH=mine or --take PATH=theirs")
    else:
        changed = counted(found.draft.changed, "changed object", "changed objects")
        say(f"The draft {name} is on revision {found.draft.base}, with {changed}.")
    if found.conflicts:
        raise AnswerIsNo


_VERSION = click.option(
    "--version", type=int, help="The version that was reviewed: refused when the draft has been saved since."
)


def _seen(service: Caddrel, name: str, version: int | None) -> DraftInfo:
    """Return a draft as it is, refused when another version of it was reviewed."""
    found = service.drafts.get(name).info
    if version is not None and found.version != version:
        raise click.ClickException(f"the draft {name} has version {found.version} now, not {version}: look at it again")
    return found


@draft.command()
@click.argument("name")
@click.option("--why", required=True, help="Why, for those who read the history.")
@click.option("--accept-lockout-risk", default="", metavar="REASON", help="As in rulebook publish.")
@click.option("--accept-failing-rehearsals", default="", metavar="REASON", help="As in rulebook publish.")
@click.option("--accept-failing-guarantees", default="", metavar="REASON", help="As in rulebook publish.")
@_VERSION
@json_option
def publish(
    name: str,
    why: str,
    accept_lockout_risk: str,
    accept_failing_rehearsals: str,
    accept_failing_guarantees: str,
    version: int | None,
    as_json: bool,
) -> None:
    """Publish a draft as the next revision.

    \b
    Example: caddrel draft publish tablets-need-may --why "Tablets need the May patch"
    """
    with connect() as service:
        seen = _seen(service, name, version)
        made = service.drafts.publish(
            seen, why, accept_lockout_risk, accept_failing_rehearsals, accept_failing_guarantees
        )
    if as_json:
        write_json(made)
        return
    say(f"Revision {made.revision.number} is current: {made.revision.why}")


@draft.command()
@click.argument("name")
@click.option("--at", required=True, metavar="MOMENT", help="When, such as 2026-12-01T06:00:00Z.")
@click.option("--why", required=True, help="Why, for those who read the history.")
@click.option("--accept-lockout-risk", default="", metavar="REASON", help="As in rulebook publish.")
@click.option("--accept-failing-rehearsals", default="", metavar="REASON", help="As in rulebook publish.")
@_VERSION
@json_option
def plan(
    name: str,
    at: str,
    why: str,
    accept_lockout_risk: str,
    accept_failing_rehearsals: str,
    version: int | None,
    as_json: bool,
) -> None:
    """Have a draft published at a time; it is checked now, and again when it is due.

    \b
    Example: caddrel draft plan midwinter --at 2026-12-20T06:00:00Z --why "the harbour closes"
    """
    with connect() as service:
        seen = _seen(service, name, version)
        made = service.drafts.plan(seen, at, why, accept_lockout_risk, accept_failing_rehearsals)
    if as_json:
        write_json(made)
    elif made.plan is not None:
        say(f"The draft {name} is to be published at {made.plan.at}; until then nobody can change it.")


@draft.command()
@click.argument("name")
@json_option
def unplan(name: str, as_json: bool) -> None:
    """Take back when a draft was to be published.

    \b
    Example: caddrel draft unplan midwinter
    """
    with connect() as service:
        made = service.drafts.unplan(name)
    if as_json:
        write_json(made)
        return
    say(f"The draft {name} is not planned any more.")


@draft.command()
@click.argument("name")
@click.option("--on/--off", "on", default=None, help="Begin or end it; without, what it would have done is told.")
@json_option
def shadow(name: str, on: bool | None, as_json: bool) -> None:
    """Have live decisions logged with a draft's outcome too; without an option, tell what it would have done.

    \b
    Example: caddrel draft shadow tablets-need-may --on
             caddrel draft shadow tablets-need-may
    """
    with connect() as service:
        if on is not None:
            made = service.drafts.shadow(_seen(service, name, None)) if on else service.drafts.end_shadow(name)
            if as_json:
                write_json(made)
            else:
                state = f"is in shadow since {made.shadowed}" if on else "is not in shadow any more"
                say(f"The draft {name} {state}.")
            return
        report = service.drafts.shadow_report(name)
    if as_json:
        write_json(report)
        return
    if report.since is None:
        say(f"The draft {name} is not in shadow. Begin: caddrel draft shadow {name} --on")
        return
    if not report.flows:
        say(f"There was no live decision since {report.since}.")
        return
    say(f"Live decisions since {report.since}:")
    rows = [(str(flow.count), mark(flow.outcome), mark(flow.would), flow.example) for flow in report.flows]
    table(("count", "was", "would be", "such as"), rows, right=("count",))


@draft.command()
@click.argument("name")
@json_option
def discard(name: str, as_json: bool) -> None:
    """Discard a draft; it can be recovered.

    \b
    Example: caddrel draft discard tablets-need-may
    """
    with connect() as service:
        service.drafts.discard(name)
    if as_json:
        write_json({"name": name, "discarded": True})
        return
    remark(f"The draft {name} is discarded; caddrel draft recover {name} takes it up again.")


@draft.command()
@click.argument("name")
@json_option
def recover(name: str, as_json: bool) -> None:
    """Take up a discarded draft again.

    \b
    Example: caddrel draft recover tablets-need-may
    """
    with connect() as service:
        made = service.drafts.recover(name)
    _tell(made, as_json)


def _tell_object(made: ObjectSaved, as_json: bool) -> None:
    if as_json:
        write_json(made)
        return
    info = made.info
    done = "put" if made.text is not None else "taken out"
    say(f"Draft {info.name}, version {info.version}, {_on(info)}: {made.path} {done}.")


def _tell(made: WholeDraft, as_json: bool) -> None:
    if as_json:
        write_json(made)
        return
    info = made.info
    changed = ", ".join(each.path for each in made.objects if each.changed)
    say(f"Draft {info.name}, version {info.version}, {_on(info)}: {changed or 'nothing changed yet'}.")


draft.add_command(add)
draft.add_command(tidy)


def _on(info: DraftInfo) -> str:
    """Return on which revision a draft is."""
    return f"on revision {info.base}" if info.base else "before the first revision"
