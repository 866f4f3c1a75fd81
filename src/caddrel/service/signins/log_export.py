"""The log, or what a filter asks of it, in formats that others read."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from caddrel.service.signins.export_formats import exported
from caddrel.service.signins.log_filter import log_query
from caddrel.service.signins.parquet import parquet
from caddrel.service.signins.rows import summary
from caddrel.service.state.context import State


def export_log(state: State, asked: Mapping[str, str], format: str) -> Iterator[bytes]:
    """Return every sign-in that matches, in pieces; what is asked for is read before the first.

    Parameters
    ----------
    asked
        The parameters of the request, by name.
    format
        One of those that have a media type.

    Raises
    ------
    ServiceError
        When what is asked for cannot be read.
    """
    records = state.signins.every(log_query(state, asked, 1))
    if format == "parquet":
        catalogue = state.rulebooks.in_force().catalogue
        return parquet(records, catalogue, summary, state.folder)
    return exported(records, format, summary)
