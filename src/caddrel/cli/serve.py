"""`caddrel serve`: the service on a data folder."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
import platformdirs

from caddrel.cli.output import remark, say_error

if TYPE_CHECKING:
    from caddrel.wiring import Opened


class BindType(click.ParamType[tuple[str, int]]):
    """An address to listen on, ``HOST:PORT``."""

    name = "HOST:PORT"

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> tuple[str, int]:
        """Return host and port."""
        host, _, port = str(value).rpartition(":")
        if not host or not port.isdigit() or int(port) > 65535:
            self.fail(f"{value} is not HOST:PORT, such as 127.0.0.1:8420", param, ctx)
        return host.strip("[]"), int(port)


def listen_failed(host: str, port: int, error: OSError) -> click.ClickException:
    """Return the refusal of an address that cannot be listened on."""
    reason = (error.strerror or str(error)).lower()
    return click.ClickException(f"cannot listen on {host}:{port}: {reason}")


def address_option(command: Callable[..., Any]) -> Callable[..., Any]:
    """Add ``--address-data`` to a command."""
    return click.option(
        "--address-data",
        type=click.Path(path_type=Path, exists=True, dir_okay=False),
        multiple=True,
        help="A MaxMind DB file: country, city, autonomous system, anonymisers. May be given several times.",
    )(command)


def open_with_addresses(data: Path, files: tuple[Path, ...]) -> Opened:
    """Open a data folder with address data; a file that is none ends the command."""
    from caddrel import wiring
    from caddrel.service.address_data import AddressFileRefused

    try:
        return wiring.open_data(data, address_files=files)
    except AddressFileRefused as refused:
        raise click.UsageError(str(refused)) from None


@click.command()
@click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False),
    default=lambda: Path(platformdirs.user_data_dir("caddrel")),
    show_default="the user's data folder",
    help="Where everything is kept.",
)
@click.option("--bind", type=BindType(), default="127.0.0.1:8420", show_default=True, help="Where to listen.")
@click.option("--workers", type=click.IntRange(1, 128), default=16, show_default=True, help="Threads that answer.")
@address_option
def serve(data: Path, bind: tuple[str, int], workers: int, address_data: tuple[Path, ...]) -> None:
    """Run the service until it is told to stop.

    \b
    Example: caddrel serve --data ./data --bind 127.0.0.1:8420
    """
    from caddrel import wiring

    wiring.collect_seldom()
    wiring.log_to_stderr()
    opened = open_with_addresses(data, address_data)
    try:
        server = wiring.build_server(opened, *bind, threads=workers)
    except OSError as error:
        opened.close()
        raise listen_failed(*bind, error) from None
    remark(f"Caddrel on {server.url}, data in {data}")
    if opened.deps.accounts.count() == 0:
        remark(f"Nobody has an account yet. One-time way in: {server.url}/#/enter?code={wiring.way_in(opened.deps)}")
    if bind[0] not in {"127.0.0.1", "::1", "localhost"}:
        say_error("listening beyond this machine without TLS", "put a TLS proxy in front")
    server.run()
