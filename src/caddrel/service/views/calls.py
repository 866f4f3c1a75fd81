"""Calls and endpoints of this service: those of `http.endpoints`, with its runtime."""

from __future__ import annotations

from caddrel.service.http import endpoints
from caddrel.service.runtime import Runtime

Call = endpoints.Call[Runtime]
Endpoints = endpoints.Endpoints[Runtime]
