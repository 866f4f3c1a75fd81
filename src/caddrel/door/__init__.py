"""A door in a few lines: middleware that asks at each request of somebody who is signed in, for WSGI and ASGI apps.

``WsgiDoor`` and ``Gate`` are here; ``caddrel.door.asgi`` has those for ASGI. Not here: the pages of an app.
"""

from caddrel.door.gate import Gate
from caddrel.door.verdict import Verdict
from caddrel.door.visitor import Visitor
from caddrel.door.wsgi import WsgiDoor

__all__ = ["Gate", "Verdict", "Visitor", "WsgiDoor"]
