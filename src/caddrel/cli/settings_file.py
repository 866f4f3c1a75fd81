"""Options of a command that a file may give too (TOML); what the command line or the environment says goes before."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import click

from caddrel.core.diagnostics import did_you_mean, shorten

# Before the name of an option of `serve`, in the environment.
PREFIX = "CADDREL_SERVE"


def _read(context: click.Context, _option: click.Parameter, path: Path | None) -> Path | None:
    """Take in the file before the other options are looked at."""
    if path is not None:
        context.default_map = {**_settings(path, context.command), **(context.default_map or {})}
    return path


config_option = click.option(
    "--config",
    type=click.Path(path_type=Path, exists=True, dir_okay=False),
    envvar="CADDREL_CONFIG",
    is_eager=True,
    callback=_read,
    expose_value=False,
    help='TOML with any of these options, such as bind = "127.0.0.1:8420".',
)


def _settings(path: Path, command: click.Command) -> Mapping[str, Any]:
    """Return what a file gives the options of a command, by the names of their parameters."""
    try:
        written = tomllib.loads(path.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError) as error:
        raise click.UsageError(f"{path}: it cannot be read: {error}") from None
    except tomllib.TOMLDecodeError as error:
        raise click.UsageError(f"{path}: it is not TOML: {error}") from None
    known = {key_of(option): option for option in command.params if option.expose_value}
    found: dict[str, Any] = {}
    for key, value in written.items():
        option = known.get(key)
        if option is None or option.name is None:
            hint = did_you_mean(key, known, f"there are {', '.join(known)}")
            raise click.UsageError(f"{path}: there is no setting `{shorten(key)}`; {hint}")
        if option.multiple:
            values = value if isinstance(value, list) else [value]
            found[option.name] = [_plain(path, key, each) for each in values]
        else:
            found[option.name] = _plain(path, key, value)
    return found


def _plain(path: Path, key: str, value: Any) -> str:
    if isinstance(value, bool) or not isinstance(value, str | int):
        raise click.UsageError(f"{path}: `{key}` is a text or a whole number")
    return str(value)


def key_of(option: click.Parameter) -> str:
    """Return what a file calls an option: as the command line does, without the dashes before it."""
    return (option.name or "").replace("_", "-")
