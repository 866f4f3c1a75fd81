"""Read what `caddrel rulebook check --json` found, and fail when anything is an error or a warning."""

import json
import sys

worst = [each for each in json.load(sys.stdin)["diagnostics"] if each.get("severity", "error") != "note"]
for each in worst:
    print(f"{each['code']}: {each['message']} ({each.get('hint', '')})", file=sys.stderr)
sys.exit(1 if worst else 0)
