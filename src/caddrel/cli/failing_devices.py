"""`caddrel devices failing`: which devices fail a standard, what is to be done, and who loses what."""

from __future__ import annotations

import csv
import sys
from pathlib import Path

import click

from caddrel.cli.given import draft_named
from caddrel.cli.letters import safe_cell, write_texts
from caddrel.cli.output import json_option, remark, say, table, write_json
from caddrel.cli.profile import connect
from caddrel.core.words.fix_letters import TEMPLATE, Failing, fix_letters
from caddrel.core.words.pieces import counted
from caddrel.wire.profiles import FailingDevice, FailingDevices


@click.command()
@click.argument("standard")
@click.option("--under", default="", metavar="draft:NAME", help="As a draft has the standard and the policies.")
@click.option("--csv", "as_csv", is_flag=True, help="Write CSV.")
@click.option(
    "--out", type=click.Path(path_type=Path, file_okay=False), help="Write a CSV and a text for each owner here."
)
@click.option(
    "--template",
    type=click.Path(path_type=Path, exists=True, dir_okay=False),
    help="What they are told; {name}, {devices}, {fixes}, {apps}, {contact} are filled in.",
)
@json_option
def failing(standard: str, under: str, as_csv: bool, out: Path | None, template: Path | None, as_json: bool) -> None:
    """List the devices that do not pass a standard, what their owners are to do, and the apps that they lose.

    An app is lost where the owner is blocked from it on that device, by a plain sign-in now, because of the standard.

    \b
    Examples: caddrel devices failing crew-tablet
              caddrel devices failing crew-tablet --under draft:android-16 --out letters/
    """
    draft = draft_named(under) if under else ""
    with connect() as service:
        pages = list(service.profiles.failing(standard, draft))
    first, items = pages[0], [item for page in pages for item in page.items]
    if as_json:
        write_json({**_head(first), "losing": sum(bool(each.loses) for each in items), "items": items})
    elif as_csv:
        _write(items, sys.stdout)
    elif out is not None:
        out.mkdir(parents=True, exist_ok=True)
        with (out / "devices.csv").open("w", encoding="utf-8", newline="") as file:
            _write(items, file)
        told = template.read_text(encoding="utf-8") if template is not None else TEMPLATE
        texts = fix_letters(map(_owned, items), first.contact, told)
        write_texts(out, texts.items())
        say(f"{counted(len(texts), 'text')} and devices.csv are in {out}.")
    else:
        _print(first, items)


def _owned(each: FailingDevice) -> Failing:
    checks = [(check.title, check.fix) for check in each.checks]
    return each.person, each.person_title, each.device, checks, each.loses


def _head(found: FailingDevices) -> dict[str, object]:
    return {"standard": found.standard, "devices": found.devices, "total": found.total, "people": found.people}


def _print(first: FailingDevices, items: list[FailingDevice]) -> None:
    do = "does" if first.devices == 1 else "do"
    say(
        f"{first.devices} of {counted(first.total, 'device')} {do} not pass {first.title}; "
        f"{counted(first.people, 'person has', 'people have')} one."
    )
    rows = [
        (
            each.device, each.person or "nobody's",
            "; ".join(f"{check.title}{'' if check.truth == 'false' else ' (not known)'}" for check in each.checks),
            "; ".join(dict.fromkeys(check.fix for check in each.checks if check.fix)), ", ".join(each.loses),
        )
        for each in items
    ]  # fmt: skip
    if rows:
        table(("device", "person", "fails", "fix", "loses"), rows)
    losing = {each.person for each in items if each.loses}
    remark(f"{counted(len(losing), 'person', 'people')} would be kept out of an app on such a device.")


def _write(items: list[FailingDevice], file: object) -> None:
    rows = csv.writer(file, lineterminator="\n")  # type: ignore[arg-type]  # anything that can be written to
    rows.writerow(["device", "title", "person", "name", "passes", "fails", "fixes", "loses"])
    for each in items:
        cells = [
            each.device, each.title, each.person, each.person_title, "no" if each.truth == "false" else "not known",
            "; ".join(check.title for check in each.checks),
            "; ".join(dict.fromkeys(check.fix for check in each.checks if check.fix)), " ".join(each.loses),
        ]  # fmt: skip
        rows.writerow([safe_cell(cell) for cell in cells])
