"""Whether a password is among the commonest, or says whose it is: such a one is guessed first."""

from __future__ import annotations

from functools import cache

COMMONEST = 10_000


@cache
def _common() -> frozenset[str]:
    # Loaded when it is asked for: most requests set no password.
    from zxcvbn.frequency_lists import FREQUENCY_LISTS

    ranked = FREQUENCY_LISTS["passwords"]
    return frozenset(ranked[:COMMONEST])


def why_guessable(password: str, name: str) -> str:
    """Return why a password would be guessed, empty when nothing speaks for it."""
    folded = password.casefold()
    stripped = folded.strip("0123456789!?.-_ ")
    if folded in _common() or stripped in _common():
        return "it is among the commonest passwords"
    if len(name) > 2 and name.casefold() in folded:
        return "it holds the name of the account"
    if len(set(folded)) < 5:
        return "it has too few different characters"
    return ""
