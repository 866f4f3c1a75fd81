"""`caddrel completion`: what a shell needs to complete commands and options."""

from __future__ import annotations

import click
from click.shell_completion import get_completion_class


@click.command()
@click.argument("shell", type=click.Choice(["bash", "zsh", "fish"]))
def completion(shell: str) -> None:
    """Write what a shell needs to complete caddrel's commands and options.

    \b
    Examples: eval "$(caddrel completion bash)"
              caddrel completion fish > ~/.config/fish/completions/caddrel.fish
    """
    from caddrel.cli import cli

    kind = get_completion_class(shell)
    assert kind is not None
    click.echo(kind(cli, {}, "caddrel", "_CADDREL_COMPLETE").source())
