"""Endpoints of the watch page: what is wrong, due or worth a look, and what shadow policies would have done."""

from __future__ import annotations

from caddrel.service.problems import ServiceError
from caddrel.service.views.calls import Call, Endpoints
from caddrel.service.watch.shadow_policies import shadow_policies
from caddrel.wire import watch as wire

endpoints = Endpoints()


@endpoints.add("GET", "/api/v1/watch", role="viewer", returns=wire.Watch)
def watch(call: Call) -> wire.Watch:
    """Is anything wrong? Everything that is wrong, due or worth a look."""
    return call.runtime.watched.now()


@endpoints.add("GET", "/api/v1/watch/shadow-policies", role="viewer", returns=wire.ShadowPolicyList)
def shadowed(call: Call) -> wire.ShadowPolicyList:
    """What each shadow policy alone would have done within the last thirty days."""
    return wire.ShadowPolicyList(shadow_policies(call.data, call.data.clock()))


@endpoints.add("POST", "/api/v1/watch/set-aside", role="author", body=wire.SetAsideRequest, returns=wire.Watch)
def set_aside(call: Call) -> wire.Watch:
    """Set a thing aside, with a reason, until it is another one; without a reason it is taken up again."""
    body: wire.SetAsideRequest = call.body
    if not 0 < len(body.key) <= 300 or len(body.mark) > 64 or len(body.why) > 500:
        raise ServiceError(
            422, "bad-watch", "a thing is set aside by its key and mark, with a reason of 500 characters"
        )
    why = body.why.strip()
    call.noted = f"{body.key[:120]}: {why[:200]}" if why else f"{body.key[:120]}: taken up again"
    call.data.set_aside.put(body.key, body.mark, why, call.who().name, call.data.clock())
    return call.runtime.watched.now()
