"""Access decisions for other systems: the messages of the OpenID AuthZEN Authorization API 1.0."""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.wire.numbers import Count


class Entity(msgspec.Struct, frozen=True):
    """A subject or resource (sections 5.1 and 5.2): its type, its id, and what the caller says of it."""

    type: str = ""
    id: str = ""
    properties: dict[str, Any] = {}


class Action(msgspec.Struct, frozen=True):
    """An action (section 5.3)."""

    name: str = ""
    properties: dict[str, Any] = {}


class Evaluation(msgspec.Struct, frozen=True):
    """An access evaluation request (section 6.1), also one of several: what it leaves out the others' defaults fill."""

    subject: Entity | None = None
    action: Action | None = None
    resource: Entity | None = None
    context: dict[str, Any] | None = None


class Options(msgspec.Struct, frozen=True):
    """The options of several evaluations (section 7.1.2)."""

    evaluations_semantic: str = "execute_all"


class Evaluations(msgspec.Struct, frozen=True):
    """Several evaluation requests in one (section 7.1), with defaults for each."""

    subject: Entity | None = None
    action: Action | None = None
    resource: Entity | None = None
    context: dict[str, Any] | None = None
    evaluations: list[Evaluation] = []
    options: Options = Options()


class AccessDecision(msgspec.Struct, frozen=True):
    """A decision (section 6.2): true only for allowed. `context` says what the person is told and what would help."""

    decision: bool
    context: dict[str, Any] = {}


class AccessDecisions(msgspec.Struct, frozen=True):
    """The decisions of several evaluations (section 7.2), in their order."""

    evaluations: list[AccessDecision]


class PageRequest(msgspec.Struct, frozen=True):
    """Where to go on, and how many at most (section 8.1.1)."""

    token: str = ""
    limit: Count = 100


class Search(msgspec.Struct, frozen=True):
    """A search request (section 8): one of the three lacks its id or name, and is what is looked for."""

    subject: Entity = Entity()
    action: Action = Action()
    resource: Entity = Entity()
    context: dict[str, Any] = {}
    page: PageRequest = PageRequest()


class PageAnswer(msgspec.Struct, frozen=True):
    """Where to go on; empty when nothing is left."""

    next_token: str


class SearchResults(msgspec.Struct, frozen=True):
    """What a search found (section 8.1.2): subjects and resources by type and id, actions by name."""

    results: list[dict[str, str]]
    page: PageAnswer


class SessionEnd(msgspec.Struct, frozen=True):
    """A session to end; not of the standard."""

    id: str


class Configuration(msgspec.Struct, frozen=True):
    """The metadata document (section 9)."""

    policy_decision_point: str
    access_evaluation_endpoint: str
    access_evaluations_endpoint: str
    search_subject_endpoint: str
    search_resource_endpoint: str
    search_action_endpoint: str
