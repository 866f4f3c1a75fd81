"""Why: traces, rehearsals, remedies, what has changed since."""
