"""Decoding into wire types."""

from __future__ import annotations

import subprocess
import sys

import msgspec
import pytest

from caddrel.wire.authoring import EditRequest
from caddrel.wire.authzen import Evaluation
from caddrel.wire.decoding import convert, decode
from caddrel.wire.numbers import LARGEST

# In a process of its own: what goes wrong here is a signal.
MANY_AT_ONCE = """
import sys, threading, msgspec
from typing import Any
from caddrel.wire.decoding import convert, decode

def of_its_own():
    class Entity(msgspec.Struct):
        type: str
        properties: dict[str, Any] = {}
    class Evaluation(msgspec.Struct):
        subject: Entity | None = None
        context: dict[str, Any] | None = None
    return Evaluation

def run(into, begin, answers):
    begin.wait()
    if sys.argv[1] == "convert":
        answers.append(convert({"subject": {"type": "person"}}, into).subject.type)
    else:
        answers.append(decode(b'{"subject":{"type":"person"}}', into).subject.type)

sys.setswitchinterval(1e-6)
for _ in range(400):
    into, begin, answers = of_its_own(), threading.Barrier(6), []
    threads = [threading.Thread(target=run, args=(into, begin, answers)) for _ in range(6)]
    for thread in threads: thread.start()
    for thread in threads: thread.join()
    assert answers == ["person"] * 6
"""


@pytest.mark.parametrize("how", ["decode", "convert"])
def test_many_threads_may_decode_into_a_type_for_the_first_time(how: str) -> None:
    done = subprocess.run([sys.executable, "-c", MANY_AT_ONCE, how], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr


@pytest.mark.parametrize(
    ("text", "error"),
    [(b"{", msgspec.DecodeError), (b'{"subject": 3}', msgspec.ValidationError), (b"[]", msgspec.ValidationError)],
)
def test_what_is_not_of_the_type_is_refused(text: bytes, error: type[Exception]) -> None:
    for _ in range(2):
        with pytest.raises(error):
            decode(text, Evaluation)
    if error is msgspec.ValidationError:
        with pytest.raises(error):
            convert(msgspec.json.decode(text), Evaluation)


@pytest.mark.parametrize(
    ("text", "base"),
    [("7", 7), ("7.0", 7), ("7e2", 700), (f"{LARGEST}.0", LARGEST), ("-0.0", 0)]
    + [(wrong, None) for wrong in ("7.5", "1e16", "1e308", "-1.0", '"7"', '"7.0"')],
)
def test_whole_numbers_may_be_written_as_if_they_were_not(text: str, base: int | None) -> None:
    body = f'{{"edits": [{{"path": "a", "field": "b", "value": [2.5]}}], "why": "", "base": {text}}}'
    if base is None:
        with pytest.raises(msgspec.ValidationError, match=r"\$\.base"):
            decode(body, EditRequest)
    else:
        read = decode(body, EditRequest)
        assert (read.base, type(read.base), read.edits[0].value) == (base, int, [2.5])


def test_what_nests_deeply_beside_a_broken_number_is_refused_as_ever() -> None:
    for deep in (40, 700, 100_000):
        with pytest.raises(msgspec.ValidationError, match=r"\$\.base"):
            decode(f'{{"base": 7.5, "why": {"[" * deep}{"]" * deep}}}', EditRequest)
