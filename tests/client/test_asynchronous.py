"""The awaited client: the same nouns, answers and errors; many at once, and nothing holds the loop up."""

from __future__ import annotations

import asyncio
import inspect
from collections.abc import Coroutine
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

import httpx
import msgspec
import pytest
from tests.conftest import Live

from caddrel.client import Caddrel, Refused, Unreachable
from caddrel.client.asynchronous import AsyncCaddrel
from caddrel.wire import authzen
from caddrel.wire.jobs import Job
from caddrel.wire.problems import Problem

T = TypeVar("T")


def _run(asked: Coroutine[Any, Any, T]) -> T:
    """Return what comes of it, in a thread of its own: a browser's loop may be running in this one."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(asyncio.run, asked).result()


def test_it_says_what_the_other_client_says(kelpline: Live) -> None:
    async def ask() -> list[Any]:
        async with AsyncCaddrel(kelpline.url, kelpline.token) as client:
            with pytest.raises(Refused) as refused:
                await client.people.get("nobody")
            listed, exported = [each async for each in client.groups.all()], b""
            async for piece in client.signins.export(person="ines.faro"):
                exported += piece
            health, page = await asyncio.gather(client.health(), client.signins.list(person="ines.faro"))
            return [health, page, listed, exported, refused.value.problem.code, client.url]

    with kelpline.client() as client:
        exported = b"".join(client.signins.export(person="ines.faro"))
        listed = [client.health(), client.signins.list(person="ines.faro"), list(client.groups.all())]
    assert _run(ask()) == [*listed, exported, "not-found", kelpline.url]


def test_lines_are_sent_as_they_come_and_jobs_are_waited_for(empty: Live) -> None:
    async def take_in() -> Any:
        async with AsyncCaddrel(empty.url, empty.token) as client:
            return await client.people.import_(iter([b'{"id": "a"}\n', b'{"id": "b"}\n']))

    assert _run(take_in()).added == 2


def test_many_wait_at_once_and_the_loop_goes_on() -> None:
    under_way = most = 0
    all_there = asyncio.Event()

    async def answer(_: httpx.Request) -> httpx.Response:
        nonlocal under_way, most
        under_way += 1
        most = max(most, under_way)
        if under_way == 20:
            all_there.set()
        await all_there.wait()
        under_way -= 1
        return httpx.Response(200, json={"status": "well", "version": "1", "revision": None})

    async def ask() -> None:
        async with AsyncCaddrel("http://caddrel.test", transport=httpx.MockTransport(answer)) as client:
            await asyncio.gather(*(client.health() for _ in range(20)))

    _run(ask())
    assert most == 20


def test_what_fails_is_told_and_what_is_cancelled_ends() -> None:
    async def fails(request: httpx.Request) -> httpx.Response:
        raise httpx.ConnectError("the line is down", request=request)

    async def never(_: httpx.Request) -> httpx.Response:
        await asyncio.Event().wait()
        raise AssertionError

    async def ask() -> None:
        async with AsyncCaddrel("http://caddrel.test", transport=httpx.MockTransport(fails)) as client:
            with pytest.raises(Unreachable, match="the line is down"):
                await client.access.evaluate(authzen.Evaluation(), deadline=5)
        async with AsyncCaddrel("http://caddrel.test", transport=httpx.MockTransport(never)) as client:
            asked = asyncio.create_task(client.health())
            await asyncio.sleep(0)
            asked.cancel()
            with pytest.raises(asyncio.CancelledError):
                await asked

    _run(ask())


def test_pauses_are_awaited() -> None:
    states = iter(["running", "running", "done"])

    async def answer(request: httpx.Request) -> httpx.Response:
        if request.url.path.endswith("/events"):
            problem = Problem(title="too many are watching", status=503, code="too-many-watchers")
            return httpx.Response(503, content=msgspec.json.encode(problem))
        return httpx.Response(200, content=msgspec.json.encode(Job("j", "import", next(states), 0, 1, "", "", "")))

    async def ask() -> tuple[list[str], int]:
        turns = 0

        async def count() -> None:
            nonlocal turns
            while True:
                turns += 1
                await asyncio.sleep(0)

        async with AsyncCaddrel("http://caddrel.test", transport=httpx.MockTransport(answer)) as client:
            counting = asyncio.create_task(count())
            found = [job.state async for job in client.jobs.follow("j", pause=0.02)]
            counting.cancel()
        return found, turns

    found, turns = _run(ask())
    assert found == ["running", "running", "done"]
    assert turns > 10


def test_every_noun_is_there() -> None:
    with Caddrel("http://caddrel.test") as client:
        nouns = [
            name for name, value in vars(client).items() if not name.startswith("_") and not isinstance(value, str)
        ]

    async def look() -> None:
        async with AsyncCaddrel("http://caddrel.test") as awaited:
            for noun in nouns:
                for name, _ in inspect.getmembers(getattr(client, noun), inspect.ismethod):
                    if not name.startswith("_"):
                        assert callable(getattr(getattr(awaited, noun), name))

    _run(look())
