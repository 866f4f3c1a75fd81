"""`caddrel demo`: the service on a data folder filled with the Kelpline scenario."""

from __future__ import annotations

import contextlib
import json
import os
import subprocess
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from caddrel.cli.output import remark, say
from caddrel.cli.serve import BindType, listen_failed

if TYPE_CHECKING:
    from caddrel.service.runtime import Runtime


@click.command()
@click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False),
    default=Path(".demo"),
    show_default=True,
    help="The data folder; made when new, kept when there.",
)
@click.option("--bind", type=BindType(), default="127.0.0.1:8420", show_default=True, help="Where to listen.")
@click.option("--doorway", type=BindType(), help="Where the doorway listens; when left out, on the next port.")
def demo(data: Path, bind: tuple[str, int], doorway: tuple[str, int] | None) -> None:
    """Run the service with the data of an invented ferry line and the doorway, and tell where to look.

    \b
    Example: caddrel demo --data .demo --bind 127.0.0.1:8420
    """
    from caddrel import wiring

    wiring.share_fairly()
    try:
        held = contextlib.ExitStack()
        held.enter_context(wiring.holding(data))
    except wiring.FolderTaken as taken:
        raise click.ClickException(str(taken)) from None
    with held:
        _run(data, bind, doorway)


def _run(data: Path, bind: tuple[str, int], doorway: tuple[str, int] | None) -> None:
    from caddrel import wiring
    from caddrel.demo.fill import ADDRESSES, fill

    wiring.log_to_file(data / "demo.log")
    opened = wiring.open_data(data, address_files=[ADDRESSES])
    try:
        server = wiring.build_server(opened, *bind)
    except OSError as error:
        opened.close()
        raise listen_failed(*bind, error) from None
    if opened.runtime.data.revisions.current_number() is None:
        remark("Making thirty days of sign-ins at Kelpline; this takes about half a minute …")
        made = fill(opened.runtime, wiring.utc_now())
        remark(f"{made.added:,} sign-ins taken in.")
    wiring.tell_url(data, server.url)
    profile = data / "demo.json"
    token = wiring.kept_token(opened.runtime, _old_token(profile), "demo")
    login = f"{server.url}/#/enter?code={wiring.way_in(opened.runtime.data)}"
    door, doorway_url = _start_doorway(doorway or (server.host, server.port + 1), server.url, token)
    neighbours, neighbours_url, tokens = _start_neighbours(opened.runtime, profile, server.url, server.port + 2)
    _write_private(
        profile,
        {
            "url": server.url, "token": token, "login_url": login, "pid": os.getpid(), "doorway_url": doorway_url,
            "neighbours_url": neighbours_url, **tokens,
        },
    )  # fmt: skip
    say("")
    _line(f"Console:  {login}")
    say("          (good once, for half an hour; start again for another)")
    if doorway_url is not None:
        _line(f"Doorway:  {doorway_url}")
        say("          (sign in as anybody there, and change the world beside it)")
    if neighbours_url is not None:
        _line(f"Beside:   {neighbours_url}")
        say("          (a directory, a threat feed and a mail gateway; have them do something)")
    _line("Try:      export PATH=$PWD/.venv/bin:$PATH CADDREL_PROFILE=" + str(profile.resolve()))
    _line("          caddrel signins list --person ines.faro --app manifest --outcome blocked --limit 3")
    _line("          caddrel trace --policy hidden-origins --outcome blocked")
    facts = "person=ines.faro app=manifest device=tab-0117 device.os_version=15 network.ip=198.51.100.90"
    _line(f"          caddrel rehearse {facts}")
    say("Stop:     Ctrl-C")
    try:
        server.run()
    finally:
        for process in (door, neighbours):
            if process is not None:
                process.terminate()
                process.wait()


def _start_doorway(bind: tuple[str, int], url: str, token: str) -> tuple[subprocess.Popen[bytes] | None, str | None]:
    """Start the doorway as a process of its own; without one when its address cannot be listened on."""
    command = [sys.executable, "-c", "from caddrel.cli import main; main()", "doorway"]
    host = f"[{bind[0]}]" if ":" in bind[0] else bind[0]
    door = subprocess.Popen(  # noqa: S603 - our own program
        [*command, "--bind", f"{host}:{bind[1]}", "--with-parent"],
        # Its standard input ends when this process does, however that comes about.
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        env={**os.environ, "CADDREL_URL": url, "CADDREL_TOKEN": token},
    )
    assert door.stdout is not None
    said = door.stdout.readline().decode().strip()
    if not said:
        door.wait()
        remark("There is no doorway this time; see --doorway.")
        return None, None
    return door, said


def _start_neighbours(
    runtime: Runtime, profile: Path, url: str, port: int
) -> tuple[subprocess.Popen[bytes] | None, str | None, dict[str, str]]:
    """Start the neighbours as a process of their own; without them when their port cannot be listened on."""
    from joserfc.jwk import OKPKey

    from caddrel import wiring
    from caddrel.demo.neighbours import AUDIENCE, ISSUER
    from caddrel.service.streams.feeds import add_feed
    from caddrel.wire.feeds import FeedRequest

    key = OKPKey.generate_key("Ed25519", {"kid": "feed-1"})
    keys = {"keys": [key.as_dict(private=False)]}
    add_feed(runtime.data, FeedRequest("threat feed", ISSUER, keys, AUDIENCE), "the demo")
    tokens = {
        f"{role}_token": wiring.kept_token(runtime, _old_token(profile, f"{role}_token"), name, role)
        for role, name in (("directory", "head office"), ("receiver", "mail gateway"))
    }
    given = {f"CADDREL_{name.upper()}": token for name, token in tokens.items()}
    process = subprocess.Popen(  # noqa: S603 - our own program
        [sys.executable, "-m", "caddrel.demo.neighbours", str(port)],
        # Its standard input ends when this process does, however that comes about.
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        env={**os.environ, "CADDREL_URL": url, "CADDREL_FEED_KEY": json.dumps(key.as_dict(private=True)), **given},
    )
    assert process.stdout is not None
    said = process.stdout.readline().decode().strip()
    if not said:
        process.wait()
        return None, None, tokens
    return process, said, tokens


def _line(text: str) -> None:
    """Write a line that can be copied whole: never wrapped."""
    click.echo(text)


def _old_token(profile: Path, name: str = "token") -> str:
    try:
        return str(json.loads(profile.read_text(encoding="utf-8"))[name])
    except (OSError, ValueError, KeyError, TypeError):
        return ""


def _write_private(path: Path, content: dict[str, object]) -> None:
    """Write a file that only its owner can read, all of it or nothing."""
    draft = path.with_suffix(".new")
    draft.unlink(missing_ok=True)
    with os.fdopen(os.open(draft, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w", encoding="utf-8") as file:
        json.dump(content, file, indent=2)
    draft.replace(path)
