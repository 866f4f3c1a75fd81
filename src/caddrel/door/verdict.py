"""What a door asks, and what it makes of the answer; nothing is sent here, so that every kind of door shares it."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from cachetools import TTLCache

from caddrel.client import CaddrelError, Refused
from caddrel.door.visitor import Visitor
from caddrel.wire.authzen import AccessDecision, Action, Entity, Evaluation

# What a door does while nobody answers: let nobody in, or let those stay who were in moments ago.
Unanswered = Literal["closed", "stay"]
MOST_REMEMBERED = 100_000
NOBODY_ANSWERS = "Whether you may come in cannot be found out at the moment. Please try again in a moment."


@dataclass(frozen=True, slots=True)
class Verdict:
    """What became of a question.

    Attributes
    ----------
    allowed
        Whether the person may go on.
    why
        Empty when Caddrel allowed it; ``blocked``, ``challenged``, ``ended`` for a session that is over, or
        ``unanswered``: nobody answered, or not in time.
    tell
        What the person is told, as plain text.
    outstanding
        What would still let them in: items as in `docs/door.md`.
    visitor
        Who is in from now on; None for nobody.
    reference
        What the person can quote.
    decision
        The answer itself, None where there is none.
    """

    allowed: bool
    why: str
    tell: tuple[str, ...] = ()
    outstanding: tuple[Mapping[str, Any], ...] = ()
    visitor: Visitor | None = None
    reference: str = ""
    decision: AccessDecision | None = None


class Judgement:
    """What every kind of gate shares: the question for an app, and what an answer or a failure means.

    Parameters
    ----------
    app
        The app's id.
    unanswered
        What happens while nobody answers. ``closed``: nobody gets in, and nobody who is in goes on. ``stay``: whoever
        was let in here within `stay_for` goes on; nobody new gets in.
    stay_for
        Seconds.
    clock
        Seconds that only grow.
    """

    def __init__(
        self, app: str, unanswered: Unanswered, stay_for: float, clock: Callable[[], float] = time.monotonic
    ) -> None:
        self.app = app
        self._stays = unanswered == "stay"
        self._let_in: TTLCache[Visitor, bool] = TTLCache(MOST_REMEMBERED, stay_for, clock)
        self._lock = threading.Lock()

    def question(
        self, person: str, facts: Mapping[str, Any], session: str = "", operation: str = "sign-in"
    ) -> Evaluation:
        """Return what is asked about a person."""
        context = dict(facts)
        if session:
            context["session"] = {"id": session}
            # They were when the session began; guessing at somebody's password puts nobody out who is in.
            context.setdefault("auth.credentials", "right")
        return Evaluation(Entity("person", person), Action(operation), Entity("app", self.app), context)

    def answered(self, person: str, session: str, answer: AccessDecision) -> Verdict:
        """Return what an answer means."""
        context = answer.context
        told = context.get("session") or {}
        tell = tuple(str(each["text"]) for each in context.get("tell", ()))
        reference = str(context.get("reference", ""))
        if answer.decision:
            named = str(told.get("id") or session)
            # What is no sign-in, such as enrolling something, begins no session.
            visitor = Visitor(person, named) if named else None
            if self._stays and visitor is not None:
                with self._lock:
                    self._let_in[visitor] = True
            return Verdict(True, "", tell, (), visitor, reference, answer)
        with self._lock:
            self._let_in.pop(Visitor(person, session), None)
        why = "ended" if "ended" in told else str(context.get("outcome", "blocked"))
        left = Visitor(person, session) if session and why != "ended" else None
        return Verdict(False, why, tell, tuple(context.get("outstanding", ())), left, reference, answer)

    def failed(self, person: str, session: str, error: CaddrelError) -> Verdict:
        """Return what it means that there is no decision.

        Raises
        ------
        Refused
            When the door itself is set up wrongly: its token is not good, or it says what is no fact.
        """
        visitor = Visitor(person, session)
        if isinstance(error, Refused) and error.problem.status < 500 and error.problem.status != 429:
            if session and error.problem.code == "other-person":
                # A cookie that was tampered with.
                return Verdict(False, "ended")
            raise error
        with self._lock:
            stays = visitor in self._let_in
        if stays:
            return Verdict(True, "unanswered", (), (), visitor)
        return Verdict(False, "unanswered", (NOBODY_ANSWERS,), (), visitor if session else None)
