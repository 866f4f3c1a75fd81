"""The one table from errors to messages and exit codes."""

from __future__ import annotations

import os
import sys

import click

from caddrel.cli.hints import own_words
from caddrel.cli.output import print_diagnostics, say_error
from caddrel.client.caller import CaddrelError, Refused
from caddrel.core.diagnostics import RulebookError

NO = 1
USAGE = 2
SERVICE = 3


class AnswerIsNo(Exception):
    """The command did its work and the answer is no: everything has been said already."""


def run(command: click.Command) -> None:
    """Run a command and exit with the code of the table."""
    try:
        code = command.main(standalone_mode=False)
        sys.exit(code if isinstance(code, int) else 0)
    except AnswerIsNo:
        sys.exit(NO)
    except RulebookError as error:
        print_diagnostics(error.diagnostics, {})
        say_error(str(error))
        sys.exit(NO)
    except click.exceptions.Abort:
        say_error("stopped")
        sys.exit(USAGE)
    except click.ClickException as error:
        error.show()
        sys.exit(USAGE)
    except Refused as refused:
        problem = refused.problem
        say_error(problem.title, own_words(problem.hint))
        for found in problem.errors:
            where = f"{found.span.file}:{found.span.line}:{found.span.column}: " if found.span else ""
            where = where or (f"{found.path}: " if found.path else "")
            say_error(f"{where}{found.message}", own_words(found.hint), found.code)
        sys.exit(NO if problem.code in {"bad-rulebook", "bad-attempt", "bad-inventory"} else SERVICE)
    except CaddrelError as error:
        say_error(str(error), "is it running? caddrel serve, or see CADDREL_URL")
        sys.exit(SERVICE)
    except BrokenPipeError:
        # Whoever read the output has gone, as with `| head`.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(0)
    except OSError as error:
        say_error(f"{error.filename or 'a file'}: {(error.strerror or str(error)).lower()}")
        sys.exit(USAGE)
