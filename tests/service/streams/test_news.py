"""What others are told: followed event by event they know in the end what is so, of whoever is not off."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from caddrel.service.streams.news import State, known_after, news

NOW = datetime(2026, 10, 26, 9, tzinfo=UTC)
_WORDS = {"password": "password", "app": "authenticator-app"}
_STATES = st.fixed_dictionaries(
    {
        "off": st.booleans(),
        "risk": st.sampled_from(["low", "medium", "high"]),
        "factors": st.lists(st.sampled_from(["password", "authenticator-app"]), unique=True).map(sorted),
        "groups": st.lists(st.sampled_from(["crew", "night"]), unique=True).map(sorted),
        "roles": st.lists(st.sampled_from(["mate"]), unique=True),
    }
)


class _Listener:
    """Knows what it knew at first, and what it is told."""

    def __init__(self, state: State) -> None:
        self.state: dict[str, Any] = {**state, "factors": set(state["factors"])}

    def hears(self, kind: str, said: Any) -> None:
        match kind:
            case "account-disabled" | "account-enabled":
                # Neither is told of whom it is so already.
                assert self.state["off"] is (kind == "account-enabled")
                self.state["off"] = not self.state["off"]
            case "risk-level-change":
                assert said["before"] == self.state["risk"].upper()
                self.state["risk"] = said["now"].lower()
            case "token-claims-change":
                self.state |= said["claims"]
            case "credential-change":
                factor = _WORDS[said["type"]]
                (self.state["factors"].add if said["change"] == "create" else self.state["factors"].remove)(factor)
            case _:
                raise AssertionError(kind)


@given(_STATES, st.lists(_STATES, min_size=1, max_size=6))
def test_who_follows_the_events_knows_what_is_so(first: State, then: list[State]) -> None:
    listener, known = _Listener(first), first
    for state in then:
        for event in news("people", "ines", known, state, NOW, "because"):
            listener.hears(event.kind, event.said)
        after = known_after(known, state)
        assert after is not None
        known = after
        assert listener.state["off"] == state["off"]
        if not state["off"]:
            assert listener.state == {**state, "factors": set(state["factors"])}
        # Told again as it is, there is nothing to tell.
        assert list(news("people", "ines", known, state, NOW, "because")) == []
