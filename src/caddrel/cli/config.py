"""`caddrel config`: what `serve` would run with, and where each setting comes from.

An option that is not given on the command line is taken from the environment, `CADDREL_SERVE_` and its name, and then
from a file (TOML) that `--config` or `CADDREL_CONFIG` names.
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import click
from click.core import ParameterSource

from caddrel.cli.output import json_option, table, write_json
from caddrel.core.diagnostics import did_you_mean, shorten

PREFIX = "CADDREL_SERVE"
_FROM = {
    ParameterSource.COMMANDLINE: "command line",
    ParameterSource.ENVIRONMENT: "environment",
    ParameterSource.DEFAULT_MAP: "file",
    ParameterSource.DEFAULT: "default",
}


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
    known = {_key(option): option for option in command.params if option.expose_value}
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


def _key(option: click.Parameter) -> str:
    return (option.name or "").replace("_", "-")


@click.group()
def config() -> None:
    """What `serve` runs with: options, environment, file."""


@config.command(context_settings={"ignore_unknown_options": True, "allow_extra_args": True})
@json_option
@click.pass_context
def show(context: click.Context, as_json: bool) -> None:
    """Show what `serve` would run with, called with the same options, and where each comes from.

    \b
    Example: caddrel config show --config /etc/caddrel/serve.toml
    """
    from caddrel.cli.serve import serve

    asked = serve.make_context("serve", list(context.args), auto_envvar_prefix=PREFIX)
    rows = []
    for option in serve.params:
        if not option.expose_value or option.name is None:
            continue
        source = asked.get_parameter_source(option.name)
        value = _shown(asked.params[option.name])
        rows.append((_key(option), value, _FROM.get(source, "default") if source is not None else "default"))
    if as_json:
        write_json({key: {"value": value, "from": source} for key, value, source in rows})
        return
    table(("setting", "value", "from"), rows)


def _shown(value: Any) -> str:
    """Return a value as it is written."""
    if value is None or value == ():
        return ""
    if isinstance(value, tuple) and len(value) == 2 and isinstance(value[1], int):
        host = f"[{value[0]}]" if ":" in str(value[0]) else value[0]
        return f"{host}:{value[1]}"
    if isinstance(value, tuple | list):
        return ", ".join(str(each) for each in value)
    return str(value)
