"""`caddrel backup` and `caddrel restore`: a data folder written away, also while it is served, and put back."""

from __future__ import annotations

import re
import shutil
from datetime import UTC, datetime
from pathlib import Path

import click

from caddrel import __version__
from caddrel.cli.host import key_file_option, open_from_host
from caddrel.cli.output import json_option, remark, say, write_json

_NAME = re.compile(r"caddrel-[0-9]{8}T[0-9]{6}Z")


@click.command()
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False))
@click.option(
    "--data", type=click.Path(path_type=Path, exists=True, file_okay=False), required=True, help="The data folder."
)
@click.option("--keep", type=click.IntRange(1, 10_000), help="Take out all but so many of the newest backups there.")
@json_option
def backup(folder: Path, data: Path, keep: int | None, as_json: bool) -> None:
    """Write a data folder away into a new folder in FOLDER, also while a service works on it.

    Both databases are as they were at one moment, and every page of what was written is looked at. The key that seals
    the trails goes along where it is kept in the data folder: keep backups as safe as the folder itself.

    \b
    Example: caddrel backup /var/backups/caddrel --data ./data --keep 14
    """
    from caddrel.service.state.keys import NAME
    from caddrel.store.backup import BackupFailed, backups_in, take

    if not (data / "book.sqlite").is_file():
        raise click.UsageError(f"{data} is no data folder of a service: it has no book.sqlite")
    now = datetime.now(UTC)
    into = folder / f"caddrel-{now:%Y%m%dT%H%M%SZ}"
    if into.exists():
        raise click.ClickException(f"{into} is there already; try again in a second")
    try:
        made = take(data, into, f"{now:%Y-%m-%dT%H:%M:%SZ}", __version__, (NAME,))
    except BackupFailed as failed:
        raise click.ClickException(f"{failed}; backups from before are as they were") from None
    gone = backups_in(folder, lambda name: _NAME.fullmatch(name) is not None)[:-keep] if keep is not None else []
    for old in gone:
        shutil.rmtree(old)
    if as_json:
        write_json({"backup": str(into), "made": made.made, "files": made.files, "taken_out": [str(p) for p in gone]})
        return
    say(f"{into} holds {data} as of {made.made}.")
    if NAME not in made.files:
        remark("the key that seals the trails is kept elsewhere, and not in it")
    if gone:
        remark(f"{len(gone)} older {'backup was' if len(gone) == 1 else 'backups were'} taken out")


@click.command()
@click.argument("backup", type=click.Path(path_type=Path, exists=True, file_okay=False))
@click.option("--data", type=click.Path(path_type=Path, file_okay=False), required=True, help="The data folder.")
@click.option(
    "--replace", is_flag=True, help="Move what is there aside, under the same name with the moment behind it."
)
@key_file_option
def restore(backup: Path, data: Path, replace: bool, key_file: Path | None) -> None:
    """Make a data folder of a backup. Nothing is lost by it: what is there is moved aside, and only if you say so.

    \b
    Example: caddrel restore /var/backups/caddrel/caddrel-20261130T020000Z --data ./data --replace
    """
    from caddrel import wiring
    from caddrel.service.state.keys import NAME
    from caddrel.store.backup import BackupFailed, put_back, read_manifest

    aside = None
    try:
        if key_file is None and NAME not in read_manifest(backup).files:
            raise click.UsageError(f"the key that seals {backup} is not in it: name it with --key-file")
        if data.is_dir() and any(data.iterdir()):
            if not replace:
                raise click.UsageError(f"{data} is not empty; with --replace it is moved aside first")
            with wiring.holding(data):
                aside = data.with_name(f"{data.name}.before-{datetime.now(UTC):%Y%m%dT%H%M%SZ}")
                data.rename(aside)
        made = put_back(backup, data)
    except wiring.FolderTaken as taken:
        raise click.ClickException(f"{taken}; stop it first") from None
    except BackupFailed as failed:
        if aside is not None:
            aside.rename(data)
        raise click.ClickException(f"{failed}; {data} is as it was") from None
    opened = open_from_host(data, key_file)
    try:
        now = datetime.now(UTC)
        opened.runtime.data.audit.add(now, "host", "restore", backup.name, "done", f"as of {made.made}")
    finally:
        opened.close()
    say(f"{data} is as it was at {made.made}.")
    if aside is not None:
        remark(f"what was there is in {aside}")
