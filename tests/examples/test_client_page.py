"""The examples of the page about the client library run, one after another, on the demo data; no noun is left out."""

from __future__ import annotations

import contextlib
import io
import re
import shutil
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest
from tests.conftest import Live, serving

from caddrel.client import Caddrel
from caddrel.demo.fill import ADDRESSES

PAGE = (Path(__file__).parents[2] / "docs" / "client-library.md").read_text(encoding="utf-8")
BLOCKS = re.findall(r"^```python\n(.*?)^```", PAGE, re.M | re.S)


@pytest.fixture
def own(kelpline_folder: Path, tmp_path: Path) -> Iterator[Live]:
    """The demo data in a service of its own: a draft comes and goes."""
    shutil.copytree(kelpline_folder, tmp_path / "data")
    yield from serving(tmp_path / "data", address_files=[ADDRESSES])


def test_every_example_runs_and_says_something(own: Live) -> None:
    given: dict[str, Any] = {"token": own.token}
    for block in BLOCKS:
        said = io.StringIO()
        # In a thread of its own: a browser's loop may be running in this one.
        with contextlib.redirect_stdout(said), ThreadPoolExecutor(1) as pool:
            pool.submit(exec, block.replace("http://127.0.0.1:8420", own.url), given).result()
        assert said.getvalue().strip(), block
    given["client"].close()


def test_every_noun_is_on_the_page_and_in_the_help() -> None:
    with Caddrel("http://127.0.0.1:9") as client:
        nouns = [name for name in vars(client) if not name.startswith("_") and name != "url"]
    assert len(nouns) > 25
    assert [noun for noun in nouns if f".{noun}." not in PAGE] == []
    assert [noun for noun in nouns if noun not in (Caddrel.__doc__ or "")] == []
