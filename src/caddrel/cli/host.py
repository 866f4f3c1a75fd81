"""Opening a data folder on the host of the service, beside it or without it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from caddrel.wiring import Opened


key_file_option = click.option(
    "--key-file",
    type=click.Path(path_type=Path, exists=True, dir_okay=False),
    help="Holds the key that seals the trails, 64 hexadecimal digits, where it is not in the data folder.",
)


def open_from_host(data: Path, key_file: Path | None = None) -> Opened:
    """Open a data folder that a service has filled; what is none ends the command.

    Raises
    ------
    click.UsageError
        Saying what is wrong with the folder.
    """
    from caddrel import wiring
    from caddrel.service.state.keys import KeyRefused

    if not (data / "book.sqlite").is_file():
        raise click.UsageError(f"{data} is no data folder of a service: it has no book.sqlite")
    wiring.log_nothing()
    try:
        return wiring.open_data(data, key_file=key_file)
    except KeyRefused as refused:
        raise click.UsageError(str(refused)) from None
    except wiring.NotADatabase as refused:
        raise click.UsageError(str(refused)) from None
