"""The JSON Schema (2020-12) of the rulebook format, made from the reader's own tables.

Editors use it while one types. It knows shapes, keys and words; what a condition means is for the reader to say.
"""

from __future__ import annotations

from typing import Any

from caddrel.core.facts.catalogue import ATTRIBUTE_TYPES, METHODS, OPERATIONS
from caddrel.core.facts.countries import COUNTRIES
from caddrel.core.rulebook.ids import ID
from caddrel.core.rulebook.model import MODES, OUTCOMES, STANCES, WHO
from caddrel.core.rulebook.read.accepted import ACCEPTED_KEYS
from caddrel.core.rulebook.read.password_standards import PASSWORD_LOCK, PASSWORD_MUST
from caddrel.core.rulebook.read.policies import LONGEST_TELL
from caddrel.core.rulebook.read.selectors import SCOPE_KEYS
from caddrel.core.rulebook.read.signals import SIGNAL_KINDS

Schema = dict[str, Any]
# Plain YAML is text to the reader; editors may have made numbers and flags of it.
_SCALAR: Schema = {"type": ["string", "number", "integer", "boolean"]}
_TEXT: Schema = {"type": "string"}
_CONDITION: Schema = {"type": ["string", "boolean"], "description": "A condition, such as `device.managed`."}
_FLAG: Schema = {"enum": ["yes", "no", "true", "false", True, False]}
_DURATION: Schema = {"type": "string", "pattern": "^[0-9]+[smhd]$"}
_WHOLE: Schema = {"type": ["integer", "string"], "pattern": "^[0-9]+$"}
_MOMENT: Schema = {"type": "string", "description": "RFC 3339, with offset."}
_WINDOWS: Schema = {
    "type": "array",
    "items": {"type": "string", "pattern": "^ *[0-9]{2}:[0-9]{2} *- *[0-9]{2}:[0-9]{2} *$"},
}


def _words(*words: str) -> Schema:
    return {"enum": list(words)}


def _list(items: Schema) -> Schema:
    return {"type": "array", "items": items}


def _fields(properties: dict[str, Schema], required: tuple[str, ...] = ()) -> Schema:
    """Return an object of known fields; every object may have a title and a note."""
    known = {**properties, "title": _TEXT, "note": _TEXT}
    made: Schema = {"type": "object", "properties": known, "additionalProperties": False}
    return {**made, "required": list(required)} if required else made


def _by_id(item: Schema) -> Schema:
    return {"type": "object", "propertyNames": {"pattern": f"^{ID.pattern}$"}, "additionalProperties": item}


def _selectors(where: str) -> Schema:
    return _list({"anyOf": [_SCALAR, _fields({"where": {**_CONDITION, "description": where}}, ("where",))]})


def _scope() -> dict[str, Schema]:
    found: dict[str, Schema] = {}
    for key in SCOPE_KEYS:
        if key == "operations":
            found[key] = _list(_words(*OPERATIONS))
        else:
            found[key] = _selectors("A condition over person.* or app.*.")
    return found


def _place_parts() -> dict[str, Schema]:
    return {
        "networks": _list(_TEXT),
        "lists": _list(_TEXT),
        "countries": _list(_words(*COUNTRIES)),
        "anonymisers": _list(_words("none", "vpn", "proxy", "relay", "tor")),
        "asns": _list(_SCALAR),
        "places": _list(_TEXT),
    }


def _place() -> Schema:
    left_out = {k: v for k, v in _place_parts().items() if k in {"networks", "lists", "countries", "places"}}
    return _fields({**_place_parts(), "without": _fields(left_out)})


def _schedule() -> Schema:
    hours = {"type": "object", "additionalProperties": _WINDOWS}
    return _fields({"zone": _TEXT, "hours": hours, "closed": _list(_SCALAR), "open": hours}, ("zone",))


def _signal() -> Schema:
    keys = dict.fromkeys((key for table in SIGNAL_KINDS.values() for key in table), _SCALAR)
    return _fields({"kind": _words(*SIGNAL_KINDS), **keys}, ("kind",))


def _policy() -> Schema:
    keep = {"session_at_most": _DURATION, "idle_at_most": _DURATION, "end_with_browser": _FLAG}
    rule = {
        "id": {"type": "string", "pattern": f"^{ID.pattern}$"},
        "when": _CONDITION,
        "then": {"type": "string", "description": "allow, block, abstain, or require and a formula."},
        "tell": {"type": "string", "maxLength": LONGEST_TELL},
        "link": {"type": "string", "pattern": "^https://"},
        "keep": _fields(keep),
    }
    fields = {
        "why": _TEXT,
        "owner": _TEXT,
        "mode": {"enum": [*MODES, False]},
        "labels": _list(_TEXT),
        "contact": _TEXT,
        "active": _fields({"from": _MOMENT, "until": _MOMENT}),
        **_scope(),
        "rules": _list(_fields(rule, ("then",))),
    }
    return _fields(fields, ("rules",))


def _guarantee() -> Schema:
    fields = {
        "for": _fields(_scope()),
        "when": _CONDITION,
        "who": _words(*WHO),
        "with_shadow": _FLAG,
        "at_least": _TEXT,
        "at_most": _words(*OUTCOMES[:2]),
    }
    return {**_fields(fields, ("for",)), "oneOf": [{"required": ["at_least"]}, {"required": ["at_most"]}]}


def rulebook_schema() -> Schema:
    """Return the JSON Schema of a rulebook document."""
    check = _fields({"must": _CONDITION, "fix": _TEXT}, ("must",))
    checks: Schema = {**_by_id(check), "minProperties": 1}
    settings = {
        "stance": _words(*STANCES),
        "keyholders": _selectors("A condition over person.*."),
        "assume": {"type": "object"},
        "contact": _TEXT,
    }
    passwords = {
        **{k: v for k, v in _scope().items() if k in {"people", "apps"}},
        "must": _fields(dict.fromkeys(PASSWORD_MUST, _SCALAR)),
        "lock": _fields(dict.fromkeys(PASSWORD_LOCK, _SCALAR)),
    }
    several = _list(_words(*OUTCOMES))
    attempt: dict[str, Schema] = {
        "attempt": {"type": "object"},
        "expect": {"oneOf": [_words(*OUTCOMES), several]},
        "expect_open": several,
    }
    methods = _list(_list(_words(*METHODS)))
    sections = {
        "settings": _fields(settings),
        "attributes": {"type": "object", "additionalProperties": _words(*(t.value for t in ATTRIBUTE_TYPES))},
        "apps": _by_id(_fields({"stance": _words(*STANCES)})),
        "places": _by_id(_place()),
        "standards": _by_id(_fields({"checks": checks}, ("checks",))),
        "password-standards": _by_id(_fields(passwords, ("must",))),
        "schedules": _by_id(_schedule()),
        "proofs": _by_id(_fields({"any_of": methods}, ("any_of",))),
        "notices": _by_id(_fields({"version": _WHOLE, "text": _TEXT}, ("text",))),
        "signals": _by_id(_signal()),
        "policies": _by_id(_policy()),
        "guarantees": _by_id(_guarantee()),
        "rehearsals": _by_id(_fields(attempt, ("attempt",))),
        "accepted": _list(_fields(dict.fromkeys(ACCEPTED_KEYS, _TEXT), ("code", "object", "because"))),
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Caddrel rulebook",
        "type": "object",
        "properties": {"caddrel": {"enum": [1, "1"]}, **sections},
        "required": ["caddrel"],
        "additionalProperties": False,
    }
