"""`caddrel serve`: the service on a data folder."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any
from urllib.parse import urlsplit

import click
import platformdirs

from caddrel.cli.host import key_file_option
from caddrel.cli.output import remark, say_error
from caddrel.cli.settings_file import PREFIX, config_option

if TYPE_CHECKING:
    from caddrel.service.state.settings import Settings
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


def open_with_addresses(
    data: Path, files: tuple[Path, ...], key_file: Path | None = None, settings: Settings | None = None
) -> Opened:
    """Open a data folder with address data; a file that is none ends the command."""
    from caddrel import wiring
    from caddrel.service.state.address_data import AddressFileRefused
    from caddrel.service.state.keys import KeyRefused

    try:
        return wiring.open_data(data, address_files=files, key_file=key_file, settings=settings)
    except (AddressFileRefused, KeyRefused, wiring.NotADatabase) as refused:
        raise click.UsageError(str(refused)) from None


@click.command(context_settings={"auto_envvar_prefix": PREFIX})
@config_option
@click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False),
    default=lambda: Path(platformdirs.user_data_dir("caddrel")),
    show_default="the user's data folder",
    help="Where everything is kept.",
)
@click.option("--bind", type=BindType(), default="127.0.0.1:8420", show_default=True, help="Where to listen.")
@click.option("--workers", type=click.IntRange(1, 128), default=16, show_default=True, help="Threads that answer.")
@click.option("--public-url", default="", metavar="URL", help="What the service is called, when a proxy is in front.")
@click.option("--trusted-proxy", default="", metavar="ADDRESS", help="The proxy whose X-Forwarded-* headers count.")
@click.option(
    "--second-factor",
    type=click.Choice(["optional", "required"]),
    default="optional",
    show_default=True,
    help="Whether console accounts need a second factor.",
)
@click.option(
    "--hold-sessions",
    type=click.IntRange(0),
    default=100,
    show_default=True,
    help="A change that would end more sessions than this is looked at first.",
)
@click.option(
    "--allow-private",
    is_flag=True,
    help="Ask and tell addresses of this network too, and over http: feeds, hooks, receivers, lists.",
)
@click.option(
    "--incoming",
    type=click.Path(path_type=Path, exists=True, file_okay=False),
    help="The folder where others put address lists and devices; see `caddrel feeds fetch`.",
)
@key_file_option
@address_option
def serve(
    data: Path,
    bind: tuple[str, int],
    workers: int,
    public_url: str,
    trusted_proxy: str,
    second_factor: str,
    hold_sessions: int,
    allow_private: bool,
    incoming: Path | None,
    key_file: Path | None,
    address_data: tuple[Path, ...],
) -> None:
    """Run the service until it is told to stop.

    Every option may be given by the environment too (CADDREL_SERVE_BIND for --bind) or by a file: see
    `caddrel config show`.

    \b
    Example: caddrel serve --data ./data --bind 127.0.0.1:8420
    """
    from caddrel import wiring
    from caddrel.service.http.spans import NotInstalled
    from caddrel.service.state.settings import Settings

    _check_url(public_url)
    settings = Settings(
        second_factor=second_factor == "required",
        hold_sessions=hold_sessions,
        allow_private=allow_private,
        incoming=incoming.resolve() if incoming is not None else None,
    )
    wiring.share_fairly()
    try:
        wiring.log_to_stderr(os.environ)
    except NotInstalled as missing:
        raise click.ClickException(str(missing)) from None
    try:
        with wiring.holding(data):
            opened = open_with_addresses(data, address_data, key_file, settings)
            try:
                server = wiring.build_server(
                    opened, *bind, threads=workers, public_url=public_url, trusted_proxy=trusted_proxy
                )
            except OSError as error:
                opened.close()
                raise listen_failed(*bind, error) from None
            remark(f"Caddrel on {server.url}, data in {data}")
            wiring.tell_url(data, opened.runtime.data.settings.origin)
            if opened.runtime.data.accounts.count() == 0:
                way_in = wiring.way_in(opened.runtime.data)
                origin = opened.runtime.data.settings.origin
                remark(f"Nobody has an account yet. One-time way in: {origin}/#/enter?code={way_in}")
            if bind[0] not in {"127.0.0.1", "::1", "localhost"} and not public_url.startswith("https://"):
                say_error("listening beyond this machine without TLS", "put a TLS proxy in front, and say --public-url")
            server.run()
    except wiring.FolderTaken as taken:
        raise click.ClickException(str(taken)) from None


def _check_url(url: str) -> None:
    parts = urlsplit(url)
    if url and (parts.scheme not in {"http", "https"} or not parts.hostname or parts.path not in {"", "/"}):
        raise click.UsageError("--public-url is scheme and host, such as https://caddrel.kelpline.example")
