"""Whole numbers as they travel: no larger than what every reader of JSON holds exactly."""

from __future__ import annotations

from typing import Annotated

import msgspec

# RFC 7493, section 2.2: beyond it readers differ in what they read; and no database holds what is beyond 63 bits.
LARGEST = 2**53 - 1

Count = Annotated[int, msgspec.Meta(ge=0, le=LARGEST)]
