"""Decisions and traces as they travel."""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.core.decide.decision import Decision, decision_json
from caddrel.core.decide.interpreter.interpreter import Explained
from caddrel.core.decide.trace import trace_json
from caddrel.core.words.decisions import why_not_words
from caddrel.core.words.pieces import Sentence
from caddrel.core.words.signals import signal_words
from caddrel.service.rulebooks.view import pieces
from caddrel.wire import decisions as wire
from caddrel.wire.decoding import convert


def decision_view(decision: Decision) -> wire.Decision:
    """Return a decision as it travels."""
    return convert(decision_json(decision), wire.Decision)


def trace_view(explained: Explained) -> wire.Trace:
    """Return a trace as it travels, each policy and signal with its summary."""
    document: dict[str, Any] = trace_json(explained)
    # Most policies have the same few things to say.
    said: dict[Sentence, list[Any]] = {}

    def summary(sentence: Sentence) -> list[Any]:
        if sentence not in said:
            said[sentence] = [msgspec.to_builtins(piece) for piece in pieces(sentence)]
        return said[sentence]

    document["policies"] = [
        {**policy, "summary": summary(why_not_words(steps, explained.rulebook))}
        for policy, steps in zip(document["policies"], explained.policies, strict=True)
    ]
    for signal in document["signals"].values():
        signal["summary"] = summary(signal_words(signal["why"]))
    return convert(document, wire.Trace)
