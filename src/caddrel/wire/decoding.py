"""Decoding documents into wire types, also when many threads do so for the first time at once."""

from __future__ import annotations

import threading
from typing import Any, TypeVar

import msgspec

from caddrel.wire.numbers import LARGEST

T = TypeVar("T")

# msgspec works out how a type is decoded when it is first decoded into, and keeps that on the type. Two threads that do
# so at once read what the other has half written, and the process is gone (seen with 0.22: a signal, no exception).
# Once a decoder has been made, any number of threads may use it.
_preparing = threading.Lock()
_decoders: dict[Any, msgspec.json.Decoder[Any]] = {}


def decode(data: bytes | str, into: type[T]) -> T:
    """Return a JSON document as a value of a type; 5.0 is a whole number too (JSON Schema 2020-12 Core, section 4.2.3).

    Raises
    ------
    msgspec.DecodeError
        When it is no JSON.
    msgspec.ValidationError
        When it is, and not of this type.
    """
    decoder = _decoder(into)
    try:
        return decoder.decode(data)
    except msgspec.ValidationError as refused:
        # Where nothing else is wrong, as to read it twice takes longer.
        if not str(refused).startswith("Expected `int") or "got `float`" not in str(refused):
            raise
        return _with_whole_numbers(data, into, refused)


def _with_whole_numbers(data: bytes | str, into: type[T], refused: msgspec.ValidationError) -> T:
    try:
        document = _whole(msgspec.json.decode(data))
    # What nests so deep was refused for something that it says before.
    except RecursionError:
        raise refused from None
    return msgspec.convert(document, into)


def _whole(value: Any) -> Any:
    """Return what JSON stands for with whole numbers for those that only look broken."""
    if isinstance(value, float) and value.is_integer() and abs(value) <= LARGEST:
        return int(value)
    if isinstance(value, list):
        return [_whole(one) for one in value]
    if isinstance(value, dict):
        return {name: _whole(one) for name, one in value.items()}
    return value


def convert(value: object, into: type[T]) -> T:
    """Return what JSON stands for, read already, as a value of a type.

    Raises
    ------
    msgspec.ValidationError
        When it is not of this type.
    """
    _decoder(into)
    return msgspec.convert(value, into)


def _decoder(into: type[T]) -> msgspec.json.Decoder[T]:
    made = _decoders.get(into)
    if made is None:
        with _preparing:
            made = _decoders.get(into) or msgspec.json.Decoder(into)
            _decoders[into] = made
    return made
