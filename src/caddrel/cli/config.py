"""`caddrel config`: what `serve` would run with, and where each setting comes from.

An option that is not given on the command line is taken from the environment, `CADDREL_SERVE_` and its name, and then
from a file (TOML) that `--config` or `CADDREL_CONFIG` names.
"""

from __future__ import annotations

from typing import Any

import click
from click.core import ParameterSource

from caddrel.cli.output import json_option, table, write_json
from caddrel.cli.serve import serve
from caddrel.cli.settings_file import PREFIX, key_of

_FROM = {
    ParameterSource.COMMANDLINE: "command line",
    ParameterSource.ENVIRONMENT: "environment",
    ParameterSource.DEFAULT_MAP: "file",
    ParameterSource.DEFAULT: "default",
}


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
    asked = serve.make_context("serve", list(context.args), auto_envvar_prefix=PREFIX)
    rows = []
    for option in serve.params:
        if not option.expose_value or option.name is None:
            continue
        source = asked.get_parameter_source(option.name)
        value = _shown(asked.params[option.name])
        rows.append((key_of(option), value, _FROM.get(source, "default") if source is not None else "default"))
    if as_json:
        write_json({key: {"value": value, "from": source} for key, value, source in rows})
        return
    table(("setting", "value", "from"), rows)


def _shown(value: Any) -> str:
    """Return a value as it is written."""
    if value is None or value == ():
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, tuple) and len(value) == 2 and isinstance(value[1], int):
        host = f"[{value[0]}]" if ":" in str(value[0]) else value[0]
        return f"{host}:{value[1]}"
    if isinstance(value, tuple | list):
        return ", ".join(str(each) for each in value)
    return str(value)
