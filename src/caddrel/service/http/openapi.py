"""The OpenAPI 3.1 document, built from the declared endpoints and their types."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

import msgspec

from caddrel import __version__
from caddrel.service.http.endpoints import NOBODY_NEEDED, Endpoint, Param, Stream
from caddrel.wire.problems import Problem

_PATH_PART = re.compile(r"<(?:\w+:)?(\w+)>")


def document(endpoints: Sequence[Endpoint[Any]]) -> dict[str, Any]:
    """Return the OpenAPI document of the service."""
    types = [t for e in endpoints for t in (e.returns, e.body) if t is not None and t not in (dict, Stream)]
    unique = list(dict.fromkeys([*types, Problem]))
    schemas, components = msgspec.json.schema_components(unique, ref_template="#/components/schemas/{name}")
    by_type: dict[Any, Any] = dict(zip(unique, schemas, strict=True))
    paths: dict[str, dict[str, Any]] = {}
    for endpoint in endpoints:
        path = _PATH_PART.sub(r"{\1}", endpoint.route)
        paths.setdefault(path, {})[endpoint.method.lower()] = _operation(endpoint, by_type)
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
        return {media: {"schema": {"type": "string"}} for media in ("application/x-ndjson", "text/csv")}
    return {"application/json": {"schema": schemas.get(endpoint.returns, {"type": "object"})}}


def _parameter(param: Param) -> dict[str, Any]:
    if not param.most:
        return {"type": "string"}
    bounds = {"type": "integer", "minimum": 1, "maximum": param.most}
    # Where it is a place to go on from, there is no usual one.
    return {**bounds, "default": param.usual} if param.usual else bounds


def _operation(endpoint: Endpoint[Any], schemas: dict[Any, Any]) -> dict[str, Any]:
    words = re.findall(r"[a-z0-9]+", endpoint.route.replace("/api/v1", ""))
    operation: dict[str, Any] = {
        "summary": endpoint.summary,
        "operationId": "-".join([endpoint.method.lower(), *words]) or endpoint.method.lower(),
        "parameters": [
            *(
                {"name": name, "in": "path", "required": True, "schema": {"type": "string"}}
                for name in _PATH_PART.findall(endpoint.route)
            ),
            *({"name": p.name, "in": "query", "description": p.doc, "schema": _parameter(p)} for p in endpoint.params),
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
        operation["description"] = f"Needs the role {endpoint.role}."
    if endpoint.body is not None:
        content = {"application/json": {"schema": schemas[endpoint.body]}}
        operation["requestBody"] = {"required": True, "content": content}
    if endpoint.stream:
        content = {"application/x-ndjson": {"schema": {"type": "string", "description": endpoint.stream}}}
        operation["requestBody"] = {"required": True, "content": content}
    return operation
