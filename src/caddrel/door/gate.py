"""A gate asks Caddrel whether somebody may use an app, and says what to do when nobody answers."""

from __future__ import annotations

from collections.abc import Mapping
from types import TracebackType
from typing import Any, Self

import httpx

from caddrel.client import Caddrel, CaddrelError
from caddrel.door.verdict import Judgement, Unanswered, Verdict
from caddrel.door.visitor import Visitor
from caddrel.wire.authzen import Evaluation

# Seconds that a person waits at most for an answer, and that whoever is in may stay without one.
DEADLINE, STAY_FOR = 2.0, 15 * 60.0


class Gate:
    """Asks about the people of one app, over connections that are kept.

    Parameters
    ----------
    url, token
        The service, and a token of the role ``door``.
    app
        The app's id.
    deadline
        Seconds after which nobody has answered.
    unanswered, stay_for
        What happens then; as in `verdict.Judgement`. Closed, unless told otherwise.
    transport
        Another way to send requests than the network.
    """

    def __init__(
        self,
        url: str,
        token: str,
        app: str,
        *,
        deadline: float = DEADLINE,
        unanswered: Unanswered = "closed",
        stay_for: float = STAY_FOR,
        transport: httpx.BaseTransport | None = None,
    ) -> None:
        self._client = Caddrel(url, token, timeout=deadline, transport=transport)
        self._deadline = deadline
        self._judgement = Judgement(app, unanswered, stay_for)

    def sign_in(self, person: str, facts: Mapping[str, Any]) -> Verdict:
        """Return whether somebody may come in who has just shown who they are.

        Parameters
        ----------
        facts
            What the app saw: ``{"auth.credentials": "right", "auth.methods": {"pwd": 0}, "network.ip": "…"}``.
        """
        return self.decide(self._judgement.question(person, facts))

    def ask(self, visitor: Visitor, facts: Mapping[str, Any]) -> Verdict:
        """Return whether somebody who is in may go on."""
        return self.decide(self._judgement.question(visitor.person, facts, visitor.session))

    def decide(self, asked: Evaluation, request_id: str = "") -> Verdict:
        """Return what becomes of an evaluation of any kind: of another app, or to enrol something.

        Parameters
        ----------
        request_id
            Asked again by the same id, the answer is the same.
        """
        told = (asked.context or {}).get("session") or {}
        person, session = asked.subject.id if asked.subject else "", str(told.get("id", ""))
        try:
            answer = self._client.access.evaluate(asked, request_id, deadline=self._deadline)
        except CaddrelError as error:
            return self._judgement.failed(person, session, error)
        return self._judgement.answered(person, session, answer)

    def sign_out(self, visitor: Visitor) -> None:
        """End somebody's session."""
        self._client.access.end(visitor.session)

    def close(self) -> None:
        """Close the connections."""
        self._client.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()
