"""`caddrel rulebook`: check, format, publish, show, history."""

from __future__ import annotations

import difflib
import sys
from dataclasses import asdict
from datetime import UTC, datetime
from pathlib import Path

import click
import msgspec
from rich.text import Text

from caddrel.cli.about import about
from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.files import read_inventory_file, rulebook_files, rulebook_sources
from caddrel.cli.given import side
from caddrel.cli.grid import grid
from caddrel.cli.junit import write_junit
from caddrel.cli.meanings import FAIL_ON, compare_meaning, idle_here, tell_idle
from caddrel.cli.modes import mode, widen
from caddrel.cli.output import heading, json_option, mark, plain, print_diagnostics, remark, say, table, write_json
from caddrel.cli.profile import connect
from caddrel.cli.sheet import reviewed, reviews, sheet
from caddrel.core.diagnostics import Diagnostic
from caddrel.core.lint.context import Context
from caddrel.core.lint.registry import lint
from caddrel.core.lint.rehearsals import kept
from caddrel.core.rulebook.read.rulebook import ReadResult, read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.rulebook.starts import starts as rulebook_starts
from caddrel.wire.rulebooks import Comparison, PolicyView, PublishResult, Side

_BASE = click.option("--base", type=int, help="The revision it starts from; refused when another is current.")
_ACCEPT = click.option(
    "--accept-lockout-risk",
    default="",
    metavar="REASON",
    help="Publish although somebody who must get in could be locked out; the reason is recorded.",
)
_FAILING = click.option(
    "--accept-failing-rehearsals",
    default="",
    metavar="REASON",
    help="Publish although kept rehearsals do not give what they must; the reason is recorded.",
)
_UNPROVEN = click.option(
    "--accept-failing-guarantees",
    default="",
    metavar="REASON",
    help="Publish although guarantees do not hold; the reason is recorded.",
)
_FILE = click.Path(path_type=Path, exists=True, allow_dash=True)


@click.group()
def rulebook() -> None:
    """The rulebook: check it, write it canonically, publish it, look at it."""


def _read(path: Path) -> tuple[list[Source], ReadResult]:
    sources = rulebook_sources(path)
    return sources, read_rulebook(sources)


def _as_json(found: Diagnostic) -> dict[str, object]:
    from caddrel.service.problems import diagnostic

    return {"diagnostic": diagnostic(found)}


@rulebook.command()
@click.argument("name", required=False)
@json_option
def starts(name: str | None, as_json: bool) -> None:
    """List rulebooks to start from, or write one; every policy of them begins in shadow.

    \b
    Examples: caddrel rulebook starts
              caddrel rulebook starts small-office > rulebook.yaml
    """
    found = {each.name: each for each in rulebook_starts()}
    if name is None:
        if as_json:
            write_json({"items": [asdict(each) for each in found.values()]})
            return
        for each in found.values():
            heading(f"{each.name}: {each.title}")
            say(each.about, indent=2)
        return
    if name not in found:
        raise click.UsageError(f"there is no rulebook {name} to start from; there are {', '.join(found)}")
    write_json(asdict(found[name])) if as_json else click.echo(found[name].text, nl=False)


@rulebook.command()
@click.argument("file", type=click.Path(path_type=Path, allow_dash=True))
@click.option(
    "--inventory",
    "inventory_path",
    type=click.Path(path_type=Path, exists=True, dir_okay=False),
    help="JSON with people, groups, devices, apps and lists: rehearsals and names are checked against it.",
)
@click.option(
    "--rehearsals",
    "folder",
    type=click.Path(path_type=Path, exists=True),
    help="A file or folder of rehearsals that are kept beside the rulebook; they must come out too.",
)
@click.option("--junit", type=click.Path(path_type=Path, dir_okay=False), help="Write the rehearsals as JUnit XML.")
@click.option("--prove", "proving", is_flag=True, help="Prove too which rules and policies do nothing.")
@json_option
def check(
    file: Path,
    inventory_path: Path | None,
    folder: Path | None,
    junit: Path | None,
    proving: bool,
    as_json: bool,
) -> None:
    """Check a rulebook and tell everything that is wrong or doubtful, at once.

    A file or folder needs no service; a revision's number, `current` and draft:NAME are checked with its inventory.

    \b
    Example: caddrel rulebook check rulebook.yaml
             caddrel rulebook check draft:tablets-need-may
             caddrel rulebook check rulebook.yaml --rehearsals rehearsals/ --junit rehearsals.xml
    """
    given = side(str(file)) if str(file) != "-" else None
    if given is not None and given.files is None:
        if folder is not None or junit is not None:
            raise click.UsageError("--rehearsals and --junit are for a rulebook in a file or folder")
        _check_there(given, str(file), proving, as_json)
        return
    sources = [*rulebook_sources(file), *(rulebook_sources(folder) if folder is not None else ())]
    result = read_rulebook(sources)
    found = list(result.diagnostics)
    if result.rulebook is not None:
        inventory = read_inventory_file(inventory_path) if inventory_path is not None else None
        context = Context(result.rulebook, inventory, today=datetime.now(UTC).date())
        found += lint(context)
        if junit is not None:
            write_junit(junit, list(kept(context)))
    idle = idle_here(result.rulebook, sources) if proving and result.rulebook is not None else None
    count = {severity: sum(d.severity == severity for d in found) for severity in ("error", "warning", "note")}
    failing = sum(d.code == "rehearsal-fails" for d in found)
    if as_json:
        listed = [_as_json(d)["diagnostic"] for d in found]
        good = result.rulebook is not None and not failing
        told = {"ok": good, "errors": count["error"], "warnings": count["warning"], "diagnostics": listed}
        write_json(told if idle is None else {**told, "idle": idle})
    else:
        print_diagnostics(found, {s.name: s.text for s in sources})
        say(_summary(result, count))
        if idle is not None:
            tell_idle(idle)
    if result.rulebook is None or failing:
        raise AnswerIsNo


def _check_there(given: Side, name: str, proving: bool, as_json: bool) -> None:
    """Check what the service has, with its inventory."""
    with connect() as service:
        files = [] if given.draft else service.rulebook.get(given.revision).files
        found = service.rulebook.check(files, draft=given.draft)
        idle = service.proofs.idle(given) if proving and found.ok else None
    if as_json:
        told = msgspec.to_builtins(found)
        write_json(told if idle is None else {**told, "idle": idle})
    else:
        for each in found.diagnostics:
            where = f"{each.span.file}:{each.span.line}:{each.span.column}: " if each.span else ""
            say(f"{where}{each.severity}: {each.message} [{each.code}]")
            if each.hint:
                say(Text(each.hint, style="dim"), indent=4)
        for kept in found.rehearsals:
            if kept.turned_by:
                say(f"{kept.title}: turned by the change of {', '.join(kept.turned_by)}")
        verdict = "no errors" if found.ok else "it has errors"
        say(f"{name}: {verdict}, {_count(found.policies, 'policy', 'policies')}")
        if idle is not None:
            tell_idle(idle)
    if not found.ok:
        raise AnswerIsNo


def _summary(result: ReadResult, count: dict[str, int]) -> str:
    said = ", ".join(_count(number, word) for word, number in count.items())
    if result.rulebook is None:
        return said
    policies = result.rulebook.policies.values()
    modes = ", ".join(f"{sum(p.mode == mode for p in policies)} {mode}" for mode in ("enforced", "shadow", "off"))
    rehearsals = len(result.rulebook.rehearsals)
    kept = f", {_count(rehearsals, 'rehearsal')}" if rehearsals else ""
    return f"{_count(len(policies), 'policy', 'policies')} ({modes}){kept}: {said}"


def _count(number: int, word: str, many: str = "") -> str:
    return f"{number} {word if number == 1 else many or word + 's'}"


@rulebook.command("format")
@click.argument("file", type=_FILE)
@click.option("--write", is_flag=True, help="Write the file in place.")
@click.option("--check", "only_check", is_flag=True, help="Only tell whether it is canonical already.")
@json_option
def format_command(file: Path, write: bool, only_check: bool, as_json: bool) -> None:
    """Write a rulebook in its canonical form; comments and meaning stay.

    \b
    Example: caddrel rulebook format rulebook.yaml --write
    """
    from caddrel.core.rulebook.edit.writer import format_rulebook

    sources, result = _read(file)
    if result.rulebook is None:
        print_diagnostics(result.diagnostics, {s.name: s.text for s in sources})
        remark("Nothing was written: mend the errors first.")
        raise AnswerIsNo
    formatted = {source.name: format_rulebook(source) for source in sources}
    differing = [source for source in sources if formatted[source.name] != source.text]
    if write and not only_check:
        for source in differing:
            if source.name != "-":
                Path(source.name).write_text(formatted[source.name], encoding="utf-8")
    _tell_formatted(formatted, [source.name for source in differing], write, only_check, as_json)
    if only_check and differing:
        raise AnswerIsNo


def _tell_formatted(
    formatted: dict[str, str], differing: list[str], write: bool, only_check: bool, as_json: bool
) -> None:
    if as_json:
        files = [{"name": name, "canonical": name not in differing, "text": text} for name, text in formatted.items()]
        write_json({"files": files})
    elif write or only_check:
        for name in differing:
            remark(f"{name}: {'not canonical' if only_check else 'written'}")
    else:
        for text in formatted.values():
            sys.stdout.write(text)


@rulebook.command()
@click.argument("file", type=_FILE)
@click.option("--why", required=True, help="Why, for those who read the history.")
@_BASE
@_ACCEPT
@_FAILING
@_UNPROVEN
@json_option
def publish(
    file: Path,
    why: str,
    base: int | None,
    accept_lockout_risk: str,
    accept_failing_rehearsals: str,
    accept_failing_guarantees: str,
    as_json: bool,
) -> None:
    """Publish a rulebook as the next revision.

    Refused when it has errors, or when a keyholder or administrator who can get into the administration apps now could
    not any more, even if only while a feed is dead.

    \b
    Example: caddrel rulebook publish rulebook.yaml --why "Tablets need the May patch"
    """
    sources, result = _read(file)
    if result.rulebook is None:
        print_diagnostics(result.diagnostics, {s.name: s.text for s in sources})
        remark("Nothing was published: mend the errors first.")
        raise AnswerIsNo
    with connect() as service:
        made = service.rulebook.publish(
            rulebook_files(file), why, base, accept_lockout_risk, accept_failing_rehearsals, accept_failing_guarantees
        )
    _tell_published(made, as_json)


def _tell_published(made: PublishResult, as_json: bool) -> None:
    if as_json:
        write_json(made)
        return
    for found in made.diagnostics:
        if found.severity == "warning":
            remark(f"warning: {found.message} [{found.code}]{f' — {found.hint}' if found.hint else ''}")
    already = "already, and says the same" if made.unchanged else made.revision.why
    say(f"Revision {made.revision.number} is current{' ' if made.unchanged else ': '}{already}")


@rulebook.command()
@click.argument("number", type=int)
@click.option("--why", required=True, help="Why, for those who read the history.")
@_BASE
@_ACCEPT
@_FAILING
@_UNPROVEN
@json_option
def restore(
    number: int,
    why: str,
    base: int | None,
    accept_lockout_risk: str,
    accept_failing_rehearsals: str,
    accept_failing_guarantees: str,
    as_json: bool,
) -> None:
    """Publish an earlier revision again, as the next one.

    \b
    Example: caddrel rulebook restore 1 --why "Android 15 is not out for all tablets"
    """
    with connect() as service:
        made = service.rulebook.restore(
            number, why, base, accept_lockout_risk, accept_failing_rehearsals, accept_failing_guarantees
        )
    _tell_published(made, as_json)


@rulebook.command()
@click.argument("before")
@click.argument("after")
@click.option("--meaning", is_flag=True, help="What differs in what they mean, proven, instead of in what they say.")
@click.option(
    "--fail-on", type=click.Choice(FAIL_ON), default="any", show_default=True, help="Of --meaning: when to exit with 1."
)
@click.option("--only", default="", metavar="PATH", help="Of --meaning: what one object or rule changes by itself.")
@json_option
def compare(before: str, after: str, meaning: bool, fail_on: str, only: str, as_json: bool) -> None:
    """Tell what differs between two rulebooks, object by object: files, revision numbers, `current`, draft:NAME.

    Exit code 1 when they differ.

    \b
    Example: caddrel rulebook compare 1 current
             caddrel rulebook compare current rulebook.yaml
             caddrel rulebook compare current draft:tablets-need-may --meaning --fail-on loosened
             caddrel rulebook compare current draft:tablets-need-may --meaning --only standards.crew-tablet
    """
    if meaning:
        compare_meaning(before, after, fail_on, only, as_json)
        return
    if only:
        raise click.UsageError("--only goes with --meaning: what objects say is told of each by itself anyway")
    with connect() as service:
        found = service.rulebook.compare(side(before), side(after))
    if as_json:
        write_json(found)
    else:
        _tell_comparison(found)
    if found.objects:
        raise AnswerIsNo


def _tell_comparison(found: Comparison) -> None:
    if not found.objects:
        say(f"{found.before} and {found.after} say the same.")
        return
    differ = "differs" if len(found.objects) == 1 else "differ"
    say(f"{_count(len(found.objects), 'object')} {differ} from {found.before} to {found.after}.")
    for each in found.objects:
        heading(f"{each.kind} {each.title}")
        say(Text(f"{each.change}  ", style="bold") + Text(each.id, style="dim"))
        if each.before_words != each.after_words:
            if each.before_words:
                say("before: " + plain(each.before_words))
            if each.after_words:
                say("after:  " + plain(each.after_words))
        lines = difflib.unified_diff(each.before.splitlines(), each.after.splitlines(), n=2, lineterm="")
        for line in list(lines)[2:]:
            style = {"+": "green", "-": "red", "@": "dim"}.get(line[:1], "")
            say(Text(line, style=style), indent=2)


@rulebook.command()
@click.option("--revision", type=int, help="A revision's number; the current one when left out.")
@click.option(
    "--out", type=click.Path(path_type=Path), required=True, help="A file, or a folder for several documents."
)
@json_option
def export(revision: int | None, out: Path, as_json: bool) -> None:
    """Write a revision's documents to a file, or to a folder when there are several.

    \b
    Example: caddrel rulebook export --revision 1 --out rulebook.yaml
    """
    with connect() as service:
        whole = service.rulebook.get(revision)
    single = len(whole.files) == 1 and not out.is_dir()
    written = []
    for i, file in enumerate(whole.files):
        # A document's name came from whoever published it: only its last part names a file here.
        target = out if single else out / (Path(file.name).name or f"{i}.yaml")
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(file.text, encoding="utf-8")
        written.append(str(target))
    if as_json:
        write_json({"revision": whole.info.number, "written": written})
        return
    remark(f"Revision {whole.info.number}: {', '.join(written)}")


@rulebook.command()
@click.argument("policy", required=False)
@click.option("--revision", type=int, help="A revision's number; the current one when left out.")
@click.option("--source", is_flag=True, help="Write the documents as they were published.")
@json_option
def show(policy: str | None, revision: int | None, source: bool, as_json: bool) -> None:
    """Show the rulebook as sentences, or one policy in full.

    \b
    Examples: caddrel rulebook show
              caddrel rulebook show manifest-on-company-devices
              caddrel rulebook show --source > rulebook.yaml
    """
    with connect() as service:
        if source:
            whole = service.rulebook.get(revision)
            if as_json:
                write_json(whole)
                return
            for file in whole.files:
                sys.stdout.write(file.text)
            return
        if policy is not None:
            _show_policy(service.rulebook.policy(policy, revision), as_json)
            return
        view = service.rulebook.view(revision)
    if as_json:
        write_json(view)
        return
    info = view.revision
    if info is not None:
        at = info.published_at[:16].replace("T", " ")
        say(f"Revision {info.number}, published {at} by {info.published_by}: {info.why}")
    for found in view.policies:
        heading(found.title)
        line = mark(found.mode) + Text(f"  {found.id}", style="dim")
        say(line)
        say(plain(found.sentence), indent=2)
    heading("Parts")
    rows = [(part.kind, part.id, part.title, str(len(part.used_by))) for part in view.parts]
    table(("kind", "id", "title", "uses"), rows, right=("uses",))


def _show_policy(found: PolicyView, as_json: bool) -> None:

    if as_json:
        write_json(found)
        return
    say(Text(found.title, style="bold"))
    say(mark(found.mode) + Text(f"  {found.id}" + (f" · {found.owner}" if found.owner else ""), style="dim"))
    if found.why:
        say(f"Why: {found.why}")
    say("")
    say(plain(found.sentence))
    say("")
    sys.stdout.write(found.source + "\n")
    if found.parts:
        heading("Built from")
        table(("kind", "id", "title"), [(p.kind, p.id, p.title) for p in found.parts])


@rulebook.command()
@json_option
def schema(as_json: bool) -> None:
    """Write the JSON Schema of the format, for editors; it is JSON with and without --json.

    \b
    Example: caddrel rulebook schema > rulebook.schema.json
    """
    from caddrel.core.rulebook.schema import rulebook_schema

    del as_json
    write_json(rulebook_schema())


@rulebook.command()
@json_option
def history(as_json: bool) -> None:
    """List the revisions: when, who, why.

    \b
    Example: caddrel rulebook history
    """
    with connect() as service:
        found = service.rulebook.history()
    if as_json:
        write_json({"items": found})
        return
    rows = [
        (
            f"{info.number}{' (current)' if info.current else ''}",
            info.published_at[:16].replace("T", " "),
            info.published_by,
            info.why,
        )
        for info in found
    ]
    table(("revision", "published", "by", "why"), rows)


rulebook.add_command(about)
rulebook.add_command(mode)
rulebook.add_command(widen)
rulebook.add_command(grid)
rulebook.add_command(sheet)
rulebook.add_command(reviews)
rulebook.add_command(reviewed)
