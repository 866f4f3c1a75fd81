"""`caddrel doorway`: the stand-in sign-in page."""

from __future__ import annotations

import os
import signal
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import Any

import click

from caddrel.cli.output import remark, say
from caddrel.cli.profile import connect
from caddrel.cli.serve import BindType, listen_failed

_LOOPBACK = {"127.0.0.1", "::1", "localhost"}


@click.command()
@click.option("--bind", type=BindType(), default="127.0.0.1:8421", show_default=True, help="Where to listen.")
@click.option("--with-parent", is_flag=True, help="Stop when standard input ends.")
def doorway(bind: tuple[str, int], with_parent: bool) -> None:
    """Run a stand-in sign-in page that asks a service before it lets anybody in.

    It signs in whoever is chosen on the page, so it listens on this machine only. It needs the token of an operator:
    with it, it makes a door's token for itself, and changes the world when it is told to.

    \b
    Example: CADDREL_PROFILE=.demo/demo.json caddrel doorway --bind 127.0.0.1:8421
    """
    import waitress.server

    from caddrel.doorway.app import create_app
    from caddrel.doorway.service import Asking

    host, port = bind
    if host not in _LOOPBACK:
        raise click.UsageError(
            f"the doorway lets anybody in as anybody: it listens on {' or '.join(sorted(_LOOPBACK))}"
        )
    asking = Asking(connect())
    try:
        server: Any = waitress.server.create_server(
            create_app(asking, _font()), host=host, port=port, threads=8, ident=None
        )
    except OSError as error:
        raise listen_failed(host, port, error) from None
    listening = server.effective_port if hasattr(server, "effective_port") else server.effective_listen[0][1]
    shown = f"[{host}]" if ":" in host else host
    say(f"http://{shown}:{listening}")
    sys.stdout.flush()
    remark("The doorway; stop it with Ctrl-C.")
    if with_parent:
        _watch_parent(lambda: signal.raise_signal(signal.SIGTERM))

    def stop(_number: int, _frame: FrameType | None) -> None:
        raise SystemExit(0)

    signal.signal(signal.SIGTERM, stop)
    signal.signal(signal.SIGINT, stop)
    try:
        server.run()
    finally:
        server.task_dispatcher.shutdown(cancel_pending=True, timeout=5)
        asking.close()


def _watch_parent(ended: Callable[[], None]) -> None:
    def wait() -> None:
        # Without a buffer: one that is being read when the program ends ends it badly.
        while os.read(sys.stdin.fileno(), 1024):
            pass
        ended()

    threading.Thread(target=wait, name="caddrel-parent", daemon=True).start()


def _font() -> Path | None:
    """Return the console's font, so that the doorway looks like one of the house."""
    assets = Path(__file__).parents[1] / "service" / "static" / "assets"
    return next(iter(sorted(assets.glob("inter-latin-wght-normal*.woff2"))), None)
