"""What a guarantee says, as one sentence."""

from __future__ import annotations

from caddrel.core.rulebook.model import Guarantee, Rulebook
from caddrel.core.words.conditions import condition_words
from caddrel.core.words.pieces import Piece, Sentence, capital, say
from caddrel.core.words.policies import effect_words, scope_words


def guarantee_words(guarantee: Guarantee, rulebook: Rulebook) -> Sentence:
    """Return what a guarantee says."""
    if guarantee.bound == "at_least":
        effect = guarantee.effect
        never = (
            "is ever let in or asked for more"
            if effect is None or effect.formula is None
            else "is ever allowed without "
        )
        asked = say() if effect is None or effect.formula is None else _required(guarantee, rulebook)
        said = say("of ", scope_words(guarantee.scope, rulebook), ", nobody ", never, asked)
    else:
        worse = "blocked" if guarantee.outcome == "challenged" else "blocked or asked for more"
        said = say(scope_words(guarantee.scope, rulebook), f": never {worse}")
    when = say() if guarantee.when is None else say(", when ", condition_words(guarantee.when, rulebook))
    return capital(say(said, when, "."))


def _required(guarantee: Guarantee, rulebook: Rulebook) -> Sentence:
    assert guarantee.effect is not None
    words = effect_words(guarantee.effect, rulebook)
    # What a rule needs is what a guarantee names: "needs MFA" is "MFA".
    first = words[0]
    return (Piece(first.text.removeprefix("needs "), first.kind, first.id), *words[1:])
