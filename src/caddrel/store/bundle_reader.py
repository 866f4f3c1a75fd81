"""Reading many bundles of facts: a value that occurs in many of them is read once.

What comes out is what `record.facts_from_json` gives for each; a test holds it to that.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec

from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.record import OPEN, RecordedList, facts_from_json
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import ValueRefused, read_told

MOST_REMEMBERED = 200_000
_ORIGINS = {origin.value: origin for origin in Origin}


class _Bundle(msgspec.Struct):
    """A bundle whose values are not looked into yet; anything else of it is read with the facts as a whole."""

    values: dict[str, msgspec.Raw] = {}
    app_listed: bool = True
    app_title: str = ""
    coordinates: tuple[float, float] | None = None
    lists: dict[str, bool] = {}
    not_understood: Any = None
    open_groups: Any = None
    open_signals: Any = None
    noticed: Any = None


_decode = msgspec.json.Decoder(_Bundle).decode
_pair = msgspec.json.Decoder(tuple[str, Any]).decode
# Origin and value of a fact as it is written, read; None of one that the catalogue does not know in that type.
_Read = tuple[Origin, Value | None, Any] | None
_NEW: Any = object()


class BundleReader:
    """Reads bundles under one catalogue."""

    def __init__(self, catalogue: Catalogue) -> None:
        self._catalogue = catalogue
        self._known: dict[tuple[str, bytes], _Read] = {}

    def read(self, text: bytes | str) -> Facts:
        """Return the facts of a bundle, as JSON."""
        bundle = _decode(text)
        if bundle.not_understood or bundle.noticed or bundle.open_groups or bundle.open_signals:
            # What stands beside a value may change what it means: such a bundle is read as a whole.
            whole: Mapping[str, Any] = msgspec.json.decode(text)
            return facts_from_json({"values": {}, **whole}, self._catalogue)
        values: dict[str, Value] = {}
        origins: dict[str, Origin] = {}
        facts = Facts(
            values, origins, app_listed=bundle.app_listed, app_title=bundle.app_title, coordinates=bundle.coordinates,
            lists={name: RecordedList(held) for name, held in bundle.lists.items()},
        )  # fmt: skip
        strange: dict[str, Any] = {}
        known = self._known.get
        for name, raw in bundle.values.items():
            # The same text is the same value, whichever bundle it stands in.
            key = name, bytes(raw)
            found = known(key, _NEW)
            if found is _NEW:
                found = self._learn(key)
            if found is None:
                continue
            origins[name], value, said = found
            if value is not None:
                values[name] = value
            if said is not None:
                strange[name] = said
        facts.not_understood = strange
        return facts

    def _learn(self, key: tuple[str, bytes]) -> _Read:
        if len(self._known) > MOST_REMEMBERED:
            self._known.clear()
        spec = self._catalogue.get(key[0])
        found: _Read = None
        if spec is not None:
            origin, said = _pair(key[1])
            try:
                value, strange = read_told(spec, said)
            except ValueRefused:
                pass
            else:
                found = _ORIGINS[origin], value, strange
        self._known[key] = found
        return found


assert set(OPEN.values()) <= set(_Bundle.__struct_fields__)
