"""The command line: one file a command group; each command is loaded when it is called.

Not here: what a command does: the service does it, or for the offline commands the core.
"""

from __future__ import annotations

from importlib import import_module

import click

from caddrel import __version__
from caddrel.cli.failures import run
from caddrel.core.garbage import collect_seldom

# The commands by the work of the day, each with the module it is in.
_WORK = {
    "Begin": {"demo": "demo", "serve": "serve", "config": "config", "token": "access", "account": "access"},
    "Say who and what there is": {
        "people": "inventory",
        "groups": "inventory",
        "devices": "inventory",
        "apps": "inventory",
        "lists": "inventory",
        "inventory": "inventory",
    },
    "Write policies": {"rulebook": "rulebook", "draft": "drafts", "password": "passwords"},
    "See what will happen": {
        "prove": "prove",
        "check-up": "check_up",
        "rehearse": "rehearse",
        "decide": "decide",
        "replay": "replay",
        "tighten": "tighten",
        "doorway": "doorway",
    },
    "See what happened": {
        "watch": "watch",
        "signins": "signins",
        "trace": "trace",
        "sessions": "sessions",
        "feeds": "feeds",
        "acceptances": "acceptances",
    },
    "Help people": {"starter-code": "starter_codes"},
    "Look after it": {
        "doctor": "doctor",
        "audit": "audit",
        "jobs": "jobs",
        "backup": "backup",
        "restore": "backup",
        "rescue": "rescue",
        "completion": "completion",
    },
}
_COMMANDS = {name: module for commands in _WORK.values() for name, module in commands.items()}


class _Commands(click.Group):
    """The top group; finds a command by name and loads only its module."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(_COMMANDS)

    def get_command(self, ctx: click.Context, name: str) -> click.Command | None:
        if name not in _COMMANDS:
            return None
        module = import_module(f"caddrel.cli.{_COMMANDS[name]}")
        command: click.Command = getattr(module, name.replace("-", "_"))
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        widest = max(map(len, _COMMANDS))
        for work, names in _WORK.items():
            limit = formatter.width - 6 - widest
            found = [(name, self.get_command(ctx, name)) for name in names]
            with formatter.section(work):
                formatter.write_dl(
                    [(name.ljust(widest), made.get_short_help_str(limit)) for name, made in found if made is not None]
                )

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in _COMMANDS and not args[0].startswith("-"):
            from caddrel.core.diagnostics import did_you_mean

            hint = did_you_mean(args[0], _COMMANDS, "see caddrel --help")
            raise click.UsageError(f"There is no command “{args[0]}”; {hint}", ctx)
        return super().resolve_command(ctx, args)


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, prog_name="caddrel")
def cli() -> None:
    """Write sign-in access policies, rehearse sign-ins, and trace why the log shows blocks.

    Commands that talk to a service find it by CADDREL_URL and CADDREL_TOKEN, or by a profile file: CADDREL_PROFILE, or
    caddrel/profile.json in your configuration folder, with `url` and `token`.

    Begin with `caddrel demo`, or with a company of your own: the docs at /docs of any service tell how.

    Exit codes: 0 done, 1 the answer is no, 2 usage, 3 the service said no or could not be reached.
    """


def main() -> None:
    """Run the command line."""
    collect_seldom()
    run(cli)
