"""Turn decisions of `caddrel decide` into a line each, which a person can review when they change."""

import json
import sys

for line in sys.stdin:
    decision = json.loads(line)
    if "error" in decision:
        print(decision["id"], "error", decision["error"]["code"])
        continue
    rules = ", ".join(f"{rule['policy']}/{rule['rule']}" for rule in decision["deciding"])
    print(decision["id"], decision["outcome"], rules)
