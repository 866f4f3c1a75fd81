"""Ids of objects of a rulebook: how they are written, and which one follows from a title.

Not here: ids of the inventory, which are as other systems have them (`core.inventory.reader`).
"""

from __future__ import annotations

import re
import unicodedata

ID = re.compile(r"[a-z][a-z0-9-]*")
LONGEST_ID = 80
# Letters that are no others with a mark.
_LETTERS = str.maketrans({"ø": "o", "æ": "ae", "œ": "oe", "ß": "ss", "ð": "d", "þ": "th", "ł": "l", "đ": "d"})
_LONGEST_MADE = 60


def id_for(title: str) -> str:
    """Return the id that follows from a title, empty where none of its letters can stand in one."""
    plain = "".join(c for c in unicodedata.normalize("NFKD", title) if not unicodedata.category(c).startswith("M"))
    made = re.sub(r"[^a-z0-9]+", "-", plain.lower().translate(_LETTERS))
    return re.sub(r"^[^a-z]+", "", made)[:_LONGEST_MADE].removesuffix("-")
