"""What blocked people since yesterday, as lines for a morning meeting: how many, who is behind it, what would help.

Run it with `CADDREL_URL` and `CADDREL_TOKEN` of a viewer: ``python examples/morning_report.py 24h``.
"""

from __future__ import annotations

import os
import sys

from caddrel.client import Caddrel, CaddrelError


def report(client: Caddrel, since: str) -> list[str]:
    """Return the lines, the commonest cause first."""
    found = client.signins.causes(since=since, outcome="blocked")
    lines = [f"{found.count} blocks of {found.people} people since {since} ago"]
    for cause in found.causes:
        because = "".join(piece.text for piece in cause.because)
        lines.append(f"{cause.count:5}  {cause.policy or 'before any policy'}: {because}")
    return lines


def main() -> int:
    """Print the report; anything that keeps it from being made is one line on stderr."""
    since = sys.argv[1] if len(sys.argv) > 1 else "24h"
    token = os.environ.get("CADDREL_TOKEN", "")
    if not token:
        print("set CADDREL_TOKEN to the token of a viewer", file=sys.stderr)
        return 2
    try:
        with Caddrel(os.environ.get("CADDREL_URL", "http://127.0.0.1:8420"), token) as client:
            print("\n".join(report(client, since)))
    except CaddrelError as error:
        print(error, file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
