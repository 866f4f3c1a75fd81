"""Decoding into wire types."""

from __future__ import annotations

import subprocess
import sys

import msgspec
import pytest

from caddrel.wire.authzen import Evaluation
from caddrel.wire.decoding import convert, decode

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
