"""Endpoints of the OpenID Shared Signals Framework 1.0: streams, and events from others; outside of our own API."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

from caddrel.service.http.endpoints import NOBODY_NEEDED, Answer, Param
from caddrel.service.problems import ServiceError
from caddrel.service.streams.delivery import POLL, PUSH
from caddrel.service.streams.receiver import NotTaken
from caddrel.service.views.calls import Call, Endpoints
from caddrel.store.accounts import RECEIVER

endpoints = Endpoints()
_BASE = "/ssf/v1"
_STREAM = Param("stream_id", "The stream.")
_Document = dict[str, Any]


@endpoints.add("GET", "/.well-known/ssf-configuration", role=NOBODY_NEEDED, returns=Answer)
def configuration(call: Call) -> Answer:
    """What receivers begin from (SSF 1.0, section 7)."""
    origin = call.data.settings.origin
    return Answer(
        200,
        {
            "spec_version": "1_0",
            "issuer": origin,
            "jwks_uri": f"{origin}{_BASE}/jwks",
            "delivery_methods_supported": [PUSH, POLL],
            "configuration_endpoint": f"{origin}{_BASE}/stream",
            "status_endpoint": f"{origin}{_BASE}/status",
            "add_subject_endpoint": f"{origin}{_BASE}/subjects/add",
            "remove_subject_endpoint": f"{origin}{_BASE}/subjects/remove",
            "verification_endpoint": f"{origin}{_BASE}/verification",
            "authorization_schemes": [{"spec_urn": "urn:ietf:rfc:6750"}],
            "default_subjects": "ALL",
        },
    )


@endpoints.add("GET", f"{_BASE}/jwks", role=NOBODY_NEEDED, returns=Answer)
def keys(call: Call) -> Answer:
    """The keys that events are checked with (RFC 7517)."""
    return Answer(200, call.runtime.event_keys.published(), "application/jwk-set+json")


@endpoints.add("POST", f"{_BASE}/stream", role=RECEIVER, body=_Document, returns=Answer)
def create(call: Call) -> Answer:
    """A new stream of the caller."""
    streams = call.runtime.transmitter
    return Answer(201, streams.view(streams.create(call.who().token, call.body)))


@endpoints.add("GET", f"{_BASE}/stream", role=RECEIVER, returns=Answer, params=[_STREAM])
def read(call: Call) -> Answer:
    """One stream of the caller, or all of them."""
    streams, who = call.runtime.transmitter, call.who().token
    if "stream_id" in call.query:
        return Answer(200, streams.view(streams.need(who, call.query["stream_id"])))
    return Answer(200, [streams.view(each) for each in call.data.event_streams.all() if each.receiver == who])


@endpoints.add("PATCH", f"{_BASE}/stream", role=RECEIVER, body=_Document, returns=Answer)
def update(call: Call) -> Answer:
    """A stream, changed: what is not said stays."""
    streams = call.runtime.transmitter
    return Answer(200, streams.view(streams.change(call.who().token, call.body, whole=False)))


@endpoints.add("PUT", f"{_BASE}/stream", role=RECEIVER, body=_Document, returns=Answer)
def replace(call: Call) -> Answer:
    """A stream, as it is asked for now."""
    streams = call.runtime.transmitter
    return Answer(200, streams.view(streams.change(call.who().token, call.body, whole=True)))


@endpoints.add("DELETE", f"{_BASE}/stream", role=RECEIVER, returns=Answer, params=[_STREAM])
def delete(call: Call) -> Answer:
    """A stream taken out; what waited for it is gone."""
    call.runtime.transmitter.remove(call.who().token, call.query.get("stream_id"))
    return Answer(204)


@endpoints.add("GET", f"{_BASE}/status", role=RECEIVER, returns=Answer, params=[_STREAM])
def status(call: Call) -> Answer:
    """How a stream is."""
    return _status(call.runtime.transmitter.need(call.who().token, call.query.get("stream_id")))


@endpoints.add("POST", f"{_BASE}/status", role=RECEIVER, body=_Document, returns=Answer)
def set_status(call: Call) -> Answer:
    """A stream that goes on, waits, or is told nothing."""
    asked = call.body
    made = call.runtime.transmitter.set_status(
        call.who().token, asked.get("stream_id"), asked.get("status"), asked.get("reason")
    )
    return _status(made)


def _status(stream: Any) -> Answer:
    reason = {"reason": stream.reason} if stream.reason else {}
    return Answer(200, {"stream_id": stream.id, "status": stream.status, **reason})


@endpoints.add("POST", f"{_BASE}/subjects/add", role=RECEIVER, body=_Document, returns=Answer)
def add_subject(call: Call) -> Answer:
    """Somebody whom a stream is told of again; all are, unless they were taken out."""
    asked = call.body
    call.runtime.transmitter.leave_out(call.who().token, asked.get("stream_id"), asked.get("subject"), out=False)
    return Answer(200)


@endpoints.add("POST", f"{_BASE}/subjects/remove", role=RECEIVER, body=_Document, returns=Answer)
def remove_subject(call: Call) -> Answer:
    """Somebody whom a stream is not told of any more."""
    asked = call.body
    call.runtime.transmitter.leave_out(call.who().token, asked.get("stream_id"), asked.get("subject"), out=True)
    return Answer(204)


@endpoints.add("POST", f"{_BASE}/verification", role=RECEIVER, body=_Document, returns=Answer)
def verify(call: Call) -> Answer:
    """A verification event over a stream, with the state that was named."""
    call.runtime.transmitter.verify(call.who().token, call.body.get("stream_id"), call.body.get("state"))
    return Answer(204)


@endpoints.add("POST", f"{_BASE}/poll/<id>", role=RECEIVER, body=_Document, returns=Answer)
def poll(call: Call) -> Answer:
    """The next events of a stream that is polled, once those before are acknowledged (RFC 8936)."""
    return Answer(200, call.runtime.transmitter.poll(call.who().token, call.path["id"], call.body))


def _as_rfc8935(view: Callable[[Call], Answer]) -> Callable[[Call], Answer]:
    @wraps(view)
    def answered(call: Call) -> Answer:
        try:
            return view(call)
        except NotTaken as refused:
            status = 401 if refused.code == "authentication_failed" else 400
            return Answer(status, {"err": refused.code, "description": str(refused)})

    return answered


@endpoints.add(
    "POST", f"{_BASE}/events", role=NOBODY_NEEDED, returns=Answer, stream="One security event token (RFC 8417)."
)
@_as_rfc8935
def take(call: Call) -> Answer:
    """An event of a feed (RFC 8935): believed by its signature, whoever brings it."""
    most = call.data.limits.body
    read = call.stream.read(most + 1) if call.stream is not None else b""
    if len(read) > most:
        raise ServiceError(413, "too-large", "one event is shorter than that")
    call.runtime.receiver.take(read)
    return Answer(202)
