"""The OpenAPI 3.1 document, built from the declared endpoints and their types."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

import msgspec

from caddrel import __version__
from caddrel.service.http.endpoints import NOBODY_NEEDED, Endpoint, Param, Seen, Stream
from caddrel.wire.problems import Problem

_PATH_PART = re.compile(r"<(?:[^:>]+:)?(\w+)>")
_PATH_PARTS = re.compile(r"([\w-]+)/<(?:[^:>]+:)?(\w+)>")


def document(endpoints: Sequence[Endpoint[Any]], bodies: Mapping[type, Any], ids: Mapping[str, str]) -> dict[str, Any]:
    """Return the OpenAPI document of the service.

    Parameters
    ----------
    bodies
        An example of each body, by its type.
    ids
        An example of what may stand in an address, by the part before it.
    """
    types = [t for e in endpoints for t in (e.returns, e.body) if t is not None and t not in (dict, Stream)]
    unique = list(dict.fromkeys([*types, Problem]))
    schemas, components = msgspec.json.schema_components(unique, ref_template="#/components/schemas/{name}")
    by_type: dict[Any, Any] = dict(zip(unique, schemas, strict=True))
    paths: dict[str, dict[str, Any]] = {}
    for endpoint in endpoints:
        path = _PATH_PART.sub(r"{\1}", endpoint.route)
        paths.setdefault(path, {})[endpoint.method.lower()] = _operation(endpoint, by_type, bodies, ids)
    return {
        "openapi": "3.1.0",
        "info": {
            "title": "Caddrel",
            "version": __version__,
            "summary": "Sign-in access policies: write, rehearse, trace.",
        },
        "paths": paths,
        "components": {
            "schemas": components,
            "securitySchemes": {
                "token": {"type": "http", "scheme": "bearer"},
                "session": {"type": "apiKey", "in": "cookie", "name": "caddrel_session"},
            },
        },
    }


def _answer(endpoint: Endpoint[Any], schemas: dict[Any, Any]) -> dict[str, Any]:
    if endpoint.returns is Stream:
        # A file, of which the media type says all (OpenAPI 3.1.1, section 4.14.1).
        return {media: {} for media in endpoint.media}
    return {"application/json": {"schema": schemas.get(endpoint.returns, {"type": "object"})}}


def _parameter(param: Param) -> dict[str, Any]:
    if param.words:
        return {"type": "string", "enum": list(param.words)}
    if not param.most:
        text: dict[str, Any] = {"type": "string", "minLength": 1} if param.needed else {"type": "string"}
        return {**text, "pattern": param.pattern} if param.pattern else text
    bounds = {"type": "integer", "minimum": 1, "maximum": param.most}
    # Where it is a place to go on from, there is no usual one.
    return {**bounds, "default": param.usual} if param.usual else bounds


def _seen(seen: Seen) -> list[dict[str, Any]]:
    """Return the header by which a request says which version it is about (RFC 9110, sections 13.1.1 and 13.1.2)."""
    if not seen:
        return []
    version = r'^"[0-9]{1,9}"$' if seen == "exact" else r'^("[0-9]{1,9}"|\*)$'
    read = {"exact": ".", "any": ", or `*` for whatever is there."}.get(
        seen, ", or `*` for whatever is there; If-None-Match: `*` instead, where there is to be none yet."
    )
    return [
        {
            "name": "If-Match",
            "in": "header",
            "required": seen != "new",
            "description": f"The ETag of what was read{read}",
            "schema": {"type": "string", "pattern": version},
            "example": '"3"',
        }
    ]


def _query(param: Param) -> dict[str, Any]:
    made = {"name": param.name, "in": "query", "description": param.doc, "schema": _parameter(param)}
    return {**made, "required": True} if param.needed else made


def _operation(
    endpoint: Endpoint[Any], schemas: dict[Any, Any], bodies: Mapping[type, Any], ids: Mapping[str, str]
) -> dict[str, Any]:
    words = re.findall(r"[a-z0-9]+", endpoint.route.replace("/api/v1", ""))
    operation: dict[str, Any] = {
        "summary": endpoint.summary,
        "operationId": "-".join([endpoint.method.lower(), *words]) or endpoint.method.lower(),
        "parameters": [
            *(
                {"name": name, "in": "path", "required": True, "schema": {"type": "string"}, "example": ids[before]}
                for before, name in _PATH_PARTS.findall(endpoint.route)
            ),
            *(_query(param) for param in endpoint.params),
            *_seen(endpoint.seen),
        ],
        "responses": {
            str(endpoint.status): {
                "description": "Done",
                "content": _answer(endpoint, schemas),
            },
            "default": {
                "description": "Refused; the code says why",
                "content": {"application/problem+json": {"schema": schemas[Problem]}},
            },
        },
    }
    if endpoint.role != NOBODY_NEEDED:
        operation["security"] = [{"token": []}, {"session": []}]
        doors = " Tokens of doors may call it too." if endpoint.doors else ""
        operation["description"] = f"Needs the role {endpoint.role}.{doors}"
    if endpoint.body is not None:
        content = {"application/json": {"schema": schemas[endpoint.body], "example": bodies[endpoint.body]}}
        operation["requestBody"] = {"required": True, "content": content}
    if endpoint.stream:
        content = {"application/x-ndjson": {"schema": {"description": endpoint.stream}}}
        # An empty stream is a stream.
        operation["requestBody"] = {"required": False, "content": content}
    return operation
