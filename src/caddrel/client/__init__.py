"""The client library: `Caddrel(url, token)` with the nouns of the command line and typed results."""

from caddrel.client.caller import CaddrelError, Refused, Unreachable
from caddrel.client.caddrel import Caddrel

__all__ = ["Caddrel", "CaddrelError", "Refused", "Unreachable"]
