"""What there is to watch."""

from __future__ import annotations

from caddrel.client.caller import Caller
from caddrel.wire import watch


class Watching:
    """What is wrong, due or worth a look."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def look(self) -> watch.Watch:
        """Return everything that is wrong, due or worth a look."""
        return self._caller.get("/api/v1/watch", watch.Watch)

    def shadow_policies(self) -> list[watch.ShadowPolicy]:
        """Return what each shadow policy alone would have done of late."""
        return self._caller.get("/api/v1/watch/shadow-policies", watch.ShadowPolicyList).items

    def set_aside(self, key: str, mark: str, why: str) -> watch.Watch:
        """Set a thing aside with a reason until it is another one; an empty reason takes it up again."""
        return self._caller.post("/api/v1/watch/set-aside", watch.SetAsideRequest(key, mark, why), watch.Watch)
