"""What somebody who may not go on is answered: plain text, with a status that programs understand."""

from __future__ import annotations

from caddrel.door.verdict import Verdict

STATUS = {"blocked": 403, "challenged": 401, "ended": 401, "unanswered": 503}
_REASON = {401: "Unauthorized", 403: "Forbidden", 503: "Service Unavailable"}
_USUAL = {
    "blocked": "You may not use this now.",
    "challenged": "Something more is needed before you may use this.",
    "ended": "Please sign in.",
    "unanswered": "Please try again in a moment.",
}


def refusal(verdict: Verdict) -> tuple[int, str, list[tuple[str, str]], bytes]:
    """Return status, its reason, headers and body."""
    status = STATUS.get(verdict.why, 403)
    lines = list(verdict.tell) or [_USUAL.get(verdict.why, _USUAL["blocked"])]
    lines += [str(item.get("says", "")) for item in verdict.outstanding]
    if verdict.reference:
        lines.append(f"Reference: {verdict.reference}")
    body = "\n".join(line for line in lines if line).encode() + b"\n"
    headers = [
        ("Content-Type", "text/plain; charset=utf-8"),
        ("Content-Length", str(len(body))),
        ("Cache-Control", "no-store"),
        ("X-Content-Type-Options", "nosniff"),
    ]
    if verdict.why == "challenged":
        headers.append(("WWW-Authenticate", _challenge(verdict)))
    if status == 503:
        headers.append(("Retry-After", "5"))
    return status, _REASON[status], headers, body


def _challenge(verdict: Verdict) -> str:
    """Return what is asked for as in RFC 9470, section 3."""
    parts = ['Bearer error="insufficient_user_authentication"']
    wanted = [str(item["acr_values"]) for item in verdict.outstanding if "acr_values" in item]
    ages = [int(item["max_age"]) for item in verdict.outstanding if "max_age" in item]
    if wanted:
        # Ids of the rulebook: no quotes are among their letters.
        parts.append(f'acr_values="{" ".join(wanted)}"')
    if ages:
        parts.append(f"max_age={min(ages)}")
    return ", ".join(parts)
