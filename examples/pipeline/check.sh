#!/usr/bin/env bash
# What a pipeline asks of a rulebook before anybody publishes it: that it can be read, that nothing about it is
# doubtful (a kept rehearsal that comes out otherwise is), and that the attempts which everybody cares about come out
# as they did. Needs no service.
#
#   examples/pipeline/check.sh RULEBOOK ATTEMPTS.ndjson EXPECTED.txt
set -euo pipefail
rulebook=$1 attempts=$2 expected=$3
here=$(dirname "$0")

caddrel rulebook check --json "$rulebook" | python3 "$here/findings.py"
caddrel decide --rulebook "$rulebook" --attempts "$attempts" | python3 "$here/outcomes.py" | diff --unified "$expected" -
echo "all as expected"
