"""Ids that follow from titles."""

from __future__ import annotations

import pytest

from caddrel.core.rulebook.ids import ID, id_for


@pytest.mark.parametrize(
    ("title", "id"),
    [
        ("Second factor for the office", "second-factor-for-the-office"),
        ("  Crew — only on board!  ", "crew-only-on-board"),
        ("Føroyar & Málaga, Åse og Ærø", "foroyar-malaga-ase-og-aero"),
        ("24 hours", "hours"),
        ("2026", ""),
        ("", ""),
        ("<b>", "b"),
        ("a" * 200, "a" * 60),
        (f"{'a' * 59} b", "a" * 59),
        ("ﬁne ½", "fine-1-2"),
    ],
)
def test_an_id_follows_from_a_title_as_in_the_console(title: str, id: str) -> None:
    assert id_for(title) == id
    assert id_for(id) == id
    assert not id or ID.fullmatch(id)
