"""What people say elsewhere, and what is meant by it here: a hint, never taken for what was said."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from caddrel.core.diagnostics import did_you_mean

# By what it may be meant for: one that the list in question has.
_MEANT: Mapping[str, tuple[str, ...]] = {
    "blocked": ("denied", "deny", "refused", "rejected", "forbidden", "failed", "failure", "block", "no"),
    "allowed": ("granted", "grant", "success", "succeeded", "ok", "passed", "allow", "permitted", "yes"),
    "challenged": ("mfa", "challenge", "prompted", "step-up", "interrupted"),
    "block": ("deny", "denied", "refuse", "reject", "forbid", "blocked", "disallow"),
    "allow": ("permit", "grant", "accept", "allowed"),
    "otp": ("totp", "token", "code", "authenticator"),
    "pwd": ("password", "pass"),
    "GB": ("uk", "gbr", "england", "britain"),
    "NO": ("nor", "norway"), "IS": ("isl", "iceland"), "US": ("usa",), "DE": ("ger", "deu", "germany"),
    "FR": ("fra", "france"), "GR": ("el", "grc"), "SE": ("swe", "sweden"), "DK": ("dnk", "denmark"),
    "windows": ("win", "win32", "win10", "win11"), "macos": ("mac", "osx", "darwin"),
    "ios": ("iphone", "ipad", "ipados"),
    "personal": ("byod", "own", "private"), "company": ("corporate", "corp", "managed"),
    "employee": ("staff", "internal", "member"), "contractor": ("external", "vendor", "consultant"),
    "browser": ("web",), "native": ("app", "mobile", "desktop"), "legacy": ("imap", "pop3", "smtp", "basic"),
}  # fmt: skip
_HERE = {said: [here for here, words in _MEANT.items() if said in words] for words in _MEANT.values() for said in words}


def word_for(said: str, known: Collection[str]) -> str:
    """Return the known word that people elsewhere say so, empty when nobody does."""
    return next((here for here in _HERE.get(said.strip().lower(), ()) if here in known), "")


def meant(said: str, known: Collection[str], otherwise: str = "") -> str:
    """Return a hint which known word is meant by one that is not known, else `otherwise`."""
    here = word_for(said, known)
    if here:
        return f"did you mean `{here}`?"
    folded = said.casefold()
    same = next((each for each in known if each.casefold() == folded), None)
    return f"did you mean `{same}`?" if same is not None else did_you_mean(said, known, otherwise)
