"""Bundles that are remembered are those that are there, read as the attributes say."""

from __future__ import annotations

import random

import pytest
from sqlalchemy import select
from tests.conftest import Live, at_once

from caddrel.core.facts.catalogue import Catalogue, attribute_spec
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import FactType
from caddrel.service.state import read_bundles
from caddrel.service.state.caches import Caches
from caddrel.service.state.read_bundles import ReadBundles
from caddrel.store.bundle_reader import BundleReader
from caddrel.store.log_tables import bundles
from caddrel.wire.decisions import File

NAME = "person.attributes.clearance"
# The attribute as it is declared, as something else, and not at all.
CATALOGUES = [
    Catalogue({NAME: attribute_spec(NAME, FactType.NUMBER)}),
    Catalogue({NAME: attribute_spec(NAME, FactType.NAME)}),
    Catalogue(),
]


def _texts(live: Live) -> dict[int, str]:
    with live.data.signins._database.read() as connection:
        return {row.number: row.document for row in connection.execute(select(bundles))}


@pytest.mark.parametrize("most", [1, 7, 50_000])
def test_whatever_was_asked_before_it_is_what_reading_it_now_gives(
    kelpline: Live, most: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(read_bundles, "MOST_BUNDLES", most)
    drawn, texts = random.Random(7), _texts(kelpline)
    told = [number for number, text in texts.items() if NAME in text]
    read = ReadBundles(kelpline.data.signins, Caches())
    apart: set[str] = set()
    for _ in range(30):
        catalogue = drawn.choice(CATALOGUES)
        numbers = drawn.choices(list(texts), k=drawn.randint(0, 20)) + drawn.choices(told, k=2)
        found = read.facts(catalogue, numbers)
        assert found == [BundleReader(catalogue).read(texts[number]) for number in numbers]
        apart.add(repr(found[-1].values.get(NAME)))
    # As a number, as a name that is none, and as nothing.
    assert len(apart) > 1


def test_what_is_taken_out_is_never_mistaken_for_what_comes_later(empty: Live) -> None:
    read = empty.data.bundles
    seen: dict[int, Facts] = {}
    with empty.client() as operator:
        operator.rulebook.publish([File("r.yaml", "caddrel: 1")], "the first")
        for round_ in range(3):
            day = f"2026-{8 + round_:02}-01"
            lines = [
                f'{{"id": "s-{round_}-{n}", "facts": {{"time.at": "{day}T09:00:00Z", "person.id": "p-{round_}-{n}"}}}}'
                for n in range(5)
            ]
            assert operator.signins.import_([f"{line}\n".encode() for line in lines]).added == 5
            texts = _texts(empty)
            numbers = list(texts)
            found = dict(zip(numbers, read.facts(Catalogue(), numbers), strict=True))
            assert found == {number: BundleReader(Catalogue()).read(text) for number, text in texts.items()}
            assert all(found[number] == facts for number, facts in seen.items() if number in found)
            seen |= found
            for _ in empty.data.signins.forget(empty.clock()):
                pass
            empty.data.signins.forget_unused()
            assert not _texts(empty)


def test_many_may_ask_at_once(kelpline: Live) -> None:
    texts = _texts(kelpline)
    read, numbers = ReadBundles(kelpline.data.signins, Caches()), list(texts)[:400]
    expected = [BundleReader(CATALOGUES[0]).read(texts[number]) for number in numbers]
    assert at_once(*[lambda: read.facts(CATALOGUES[0], numbers)] * 4) == [expected] * 4
