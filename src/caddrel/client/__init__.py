"""The client library: `Caddrel(url, token)` with the nouns of the command line and typed results.

Not here: words for people (`cli`).
"""

from caddrel.client.caddrel import Caddrel
from caddrel.client.caller import CaddrelError, Refused, Unreachable

__all__ = ["Caddrel", "CaddrelError", "Refused", "Unreachable"]
