"""One exchange of SCIM 2.0 (RFC 7644): a request of a directory, and what it is answered.

Not here: where the endpoints are (`views.scim`). They come here when the first is asked for: the models of the messages
take as long to make as all the rest of the service takes to start.
"""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Mapping
from functools import cache
from typing import Any

from scim2_models import Resource, SCIMException
from scim2_server.handler import ScimHandler
from scim2_server.requests import ScimRequest
from scim2_server.responses import SCIM_MEDIA_TYPE
from scim2_server.service import ScimService

from caddrel.service.http.endpoints import Answer
from caddrel.service.inventory.changes import InventoryChanges
from caddrel.service.scim.questions import asks
from caddrel.service.scim.resources import provider
from caddrel.service.scim.storage import InventoryStorage
from caddrel.service.state.data_folder import DataFolder

# One directory's change after the other: each is made to what was read. Held for the whole of a message: of several
# that are read and answered at once each takes turns from the doors, and none is done any sooner.
_writing = threading.Lock()


class _Service(ScimService):
    def publish(self, base_url: str, resource: Resource[Any]) -> Resource[Any]:
        """Put addresses into a resource, as the one above does into a copy: here each is made for one answer."""
        assert resource.meta is not None
        assert resource.id is not None
        resource.meta.location = self.resource_location(base_url, self.get_resource_type_of(resource), resource.id)
        self._publish_references(base_url, resource)
        return resource


@cache
def _service() -> ScimService:
    return _Service(provider())


def answered(
    data: DataFolder,
    changes: InventoryChanges,
    directory: str,
    method: str,
    url: tuple[str, str, Mapping[str, str]],
    headers: Mapping[str, str],
    body: bytes,
) -> Answer:
    """Return the answer to a message.

    Parameters
    ----------
    directory
        The name of whose token it came with: what it makes is kept by it.
    url
        Where the endpoints are, the path below it, and the query.
    headers
        Of those of HTTP the ones that are about versions (section 3.14).
    """
    base, path, query = url
    request = ScimRequest(method, base, path, query, {"Content-Type": SCIM_MEDIA_TYPE, **headers}, body)
    try:
        with contextlib.nullcontext() if asks(method, path) else _writing:
            response = ScimHandler(_service(), InventoryStorage(data, changes, directory)).handle(request)
    except SCIMException as refused:
        response = _service().error_response(refused)
    told = {name: value for name, value in response.headers.items() if name.lower() != "content-type"}
    return Answer(int(response.status), response.body, SCIM_MEDIA_TYPE, told)
