"""What a signal comes to for one attempt: its truth, its kind, and what it was compared with.

What many attempts have in common of that is a *form*; the rest is a few values: numbers, texts, and the id of the
attempt compared with. As JSON both come together again; ``missing`` names what was not known.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from caddrel.core.decide.truth import FALSE, TRUE, UNKNOWN
from caddrel.core.signals.history import Past

Values = tuple[Any, ...]


class Form:
    """What attempts have in common for which a signal came out in the same way.

    Attributes
    ----------
    truth
        ``false``, ``unknown`` or ``true``.
    shared
        What is the same for all, as JSON.
    names
        Of the values that are each attempt's own.
    """

    __slots__ = ("names", "shared", "truth")

    def __init__(self, truth: str, kind: str, names: tuple[str, ...] = (), **shared: Any) -> None:
        self.truth = truth
        self.shared: Mapping[str, Any] = {"truth": truth, "kind": kind, **shared}
        self.names = names

    def document(self, values: Values) -> dict[str, Any]:
        """Return what a signal came to, as JSON."""
        return {**self.shared, **dict(zip(self.names, values, strict=True))}


# Compares an attempt with earlier ones of the same person, in order of time: those of a sequence from one place up to
# another. Of the attempt itself `let_in` says nothing.
Compare = Callable[[Past, Sequence[Past], int, int], tuple[Form, Values]]


def both(kind: str, names: tuple[str, ...], **shared: Any) -> tuple[Form, Form]:
    """Return the forms of a signal that came out false, and true, in the same way."""
    return Form(FALSE.word, kind, names, **shared), Form(TRUE.word, kind, names, **shared)


def not_known(kind: str, missing: str, names: tuple[str, ...] = ()) -> Form:
    """Return the form of an unknown signal; `missing` is the fact that it lacks, or ``coordinates``."""
    return Form(UNKNOWN.word, kind, names, missing=missing)
