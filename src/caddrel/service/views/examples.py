"""An example of every body that an endpoint takes, for its description; all of the Kelpline world."""

from __future__ import annotations

from typing import Any

from caddrel.wire import (
    access,
    authoring,
    authzen,
    cases,
    coverage,
    decisions,
    drafts,
    feeds,
    inventory,
    limits,
    mappings,
    passwords,
    proofs,
    rehearsals,
    replays,
    rulebooks,
    sessions,
    sheets,
    unlisted,
    watch,
)
from caddrel.wire.starter_codes import StarterCodeRequest

_FILE = {"name": "kelpline.yaml", "text": "caddrel: 1\npolicies: {}\n"}
_WHY = "Tablets need the May patch"
_INES, _MANIFEST = {"type": "person", "id": "ines.faro"}, {"type": "app", "id": "manifest"}
_POST = {"type": "app", "id": "post"}
_DIGEST = "the digest that the draft was shown with"
_ASKED = {"subject": _INES, "action": {"name": "sign-in"}, "resource": _MANIFEST}

BODIES: dict[type, dict[str, Any]] = {
    access.SignInRequest: {"name": "maren.strand", "password": "four words are better"},
    access.ProofRequest: {"totp": "492039"},
    access.PasswordChange: {"current": "four words are better", "password": "four other words are"},
    access.TotpConfirmed: {"begun": "what begin answered", "code": "492039"},
    access.PasskeyMade: {"credential": {"id": "…", "type": "public-key"}, "title": "The key on the ring"},
    access.TokenRequest: {"name": "front-door", "role": "door", "days": 90, "reports": ["network", "auth"]},
    access.AccountRequest: {"name": "odd.vik", "role": "author"},
    rulebooks.CheckRequest: {"files": [_FILE]},
    rulebooks.PublishRequest: {"files": [_FILE], "why": _WHY, "base": 2},
    rulebooks.RestoreRequest: {"number": 1, "why": "2 asks crews at sea for what they have not"},
    rulebooks.CompareRequest: {"before": {"revision": 1}, "after": {"files": [_FILE]}},
    authoring.EditRequest: {
        "edits": [{"path": "policies.abroad", "field": "mode", "value": "enforced"}],
        "why": "The pilot went well",
    },
    authoring.LanguageRequest: {"kind": "condition", "text": "device.managed and network.country is NO"},
    cases.MatrixRequest: {
        "given": {"person": "ines.faro", "app": "manifest"},
        "across": {"fact": "device.platform"},
        "down": {"fact": "device.owner"},
    },
    coverage.GridRequest: {"given": {"device.managed": "no"}, "where": "not from terminals"},
    coverage.CellRequest: {"grid": {}, "audience": "group:deck-crew", "app": "manifest"},
    sheets.ReviewRequest: {
        "digest": "the digest of the sheet",
        "again": "180d",
        "note": "As agreed with the terminals",
    },
    inventory.Membership: {"person": "ines.faro", "until": "2026-12-01T00:00:00Z"},
    decisions.RehearseRequest: {"given": {"person": "ines.faro", "app": "manifest", "device": "tab-0117"}},
    rehearsals.BesideRequest: {
        "left": {"given": {"person": "ines.faro", "app": "manifest"}},
        "right": {"given": {"person": "bruno.krog", "app": "manifest"}},
    },
    rehearsals.FirstDeviceRequest: {"given": {"person": "ines.faro", "app": "manifest", "device.platform": "android"}},
    proofs.GuaranteeRequest: {"side": {}},
    proofs.CheckUpRequest: {"side": {}, "safeguard": "old-programs"},
    proofs.MeaningRequest: {"before": {"revision": 1}, "after": {}},
    proofs.AboutRequest: {"person": "ines.faro", "app": "farebox"},
    proofs.AddsRequest: {"policy": "old-programs"},
    feeds.FeedRequest: {
        "name": "threat feed",
        "issuer": "https://feed.kelpline.example",
        "keys": {
            "keys": [{"kty": "OKP", "crv": "Ed25519", "kid": "k-1", "x": "11qYAYKxCrfVS_7TyWQHOg7hcvPapiMlrwIaaPcHURo"}]
        },
        "says": ["credential-compromise", "risk-level-change"],
    },
    feeds.FeedPause: {"paused": True},
    feeds.HookRequest: {"name": "night desk", "url": "https://desk.kelpline.example/caddrel", "tells": ["cause"]},
    feeds.SourceRequest: {"name": "bad-addresses", "source": "https://lists.kelpline.example/bad.txt"},
    unlisted.VetRequest: {"device": "KL90000117", "id": "tab-9117", "owner": "company", "person": "ines.faro"},
    unlisted.RefuseRequest: {"device": "KL90000117", "why": "Sold with the old ferry."},
    sessions.HeldVerdict: {"verdict": "spare"},
    proofs.ProofQuestion: {"prove": {"guarantee": "guests-have-accepted"}},
    drafts.AcceptRequest: {
        "code": "person-by-name",
        "object": "policies.abroad",
        "because": "Two captains only.",
        "until": "2027-06-30",
    },
    drafts.PatternRequest: {
        "id": "fares-need-mfa",
        "pattern": "second-factor",
        "blanks": {"apps": "farebox", "within": "4h"},
    },
    drafts.PatternScope: {"pattern": "second-factor", "blanks": {"people": "group:crew", "apps": "farebox"}},
    replays.ReplayRequest: {"under": {"draft": "tablets-need-may"}, "since": "7d"},
    replays.LettersRequest: {"template": "Hello {name}, by Monday:\n{needs}", "person": "ines.faro"},
    rulebooks.Side: {"draft": "tablets-need-may"},
    limits.TighteningRequest: {"under": {}, "limit": "standards.crew-tablet.patched", "since": "14d"},
    limits.MoveLimit: {"limit": "standards.crew-tablet.patched", "value": "16"},
    watch.SetAsideRequest: {"key": "token:3f9a0c11d2e4", "mark": "9f86d081884c7d65", "why": "It is replaced on Monday"},
    mappings.LogMapping: {
        "columns": {
            "When": {"to": "time.at"},
            "User": {"to": "person.id"},
            "Factors": {"to": "auth.methods", "split": ";", "words": {"totp": "otp"}},
        },
        "zone": "Europe/Oslo",
    },
    mappings.TrialRequest: {"text": "When,User\n2026-11-20T08:00:00Z,INES.FARO\n", "format": "csv"},
    inventory.DeviceState: {"os_version": "15", "encrypted": True},
    inventory.ItemRequest: {"document": {"title": "Ines Faro", "kind": "employee", "groups": ["deck-crew"]}},
    passwords.CandidateRequest: {"person": "ines.faro", "candidate": "gulls over the harbour"},
    authzen.Evaluation: {**_ASKED, "context": {"device.id": "tab-0117", "auth.methods": {"pwd": 5}}},
    authzen.Evaluations: {
        **_ASKED,
        "evaluations": [{"resource": _MANIFEST}, {"resource": {"type": "app", "id": "post"}}],
    },
    authzen.Search: {**_ASKED, "page": {"limit": 100}},
    authzen.SessionEnd: {"id": "the session that a decision answered"},
    StarterCodeRequest: {"person": "salka.rein", "lasts": "8h"},
    drafts.DraftRequest: {"name": "tablets-need-may"},
    drafts.DraftFiles: {"files": [_FILE]},
    drafts.ObjectRequest: {"path": "policies.abroad", "text": "abroad:\n  rules: [{then: block}]\n"},
    drafts.MoveRequest: {"taking": {"policies.abroad": "mine"}},
    drafts.PublishDraft: {"why": _WHY, "digest": _DIGEST},
    drafts.PlanRequest: {
        "why": _WHY,
        "at": "2026-12-01T06:00:00Z",
        "digest": _DIGEST,
    },
    drafts.ShadowRequest: {"on": True, "digest": _DIGEST},
}
# What stands for a part of an address, by the part before it.
IDS = {
    "people": "ines.faro", "groups": "deck-crew", "devices": "tab-0117", "apps": "manifest", "lists": "bad-addresses",
    "drafts": "tablets-need-may", "objects": "policies.abroad", "signins": "s-000400", "policies": "abroad",
    "jobs": "j-3f9a0c11d2e4", "replays": "j-3f9a0c11d2e4", "tightenings": "j-3f9a0c11d2e4",
    "proofs": "j-3f9a0c11d2e4",
    "tokens": "3f9a0c11d2e4", "accounts": "maren.strand",
    "held-changes": "1", "feeds": "threat feed", "sources": "bad-addresses",
    "sessions": "d-00000000000000000000",
    "starter-codes": "c-3f9a0c11d2e4", "mappings": "old-log", "imports": "1",
    "kept-factors": "totp", "passwords": "ines.faro",
    "members": "ines.faro", "standing": "places.terminals", "standards": "crew-tablet",
}  # fmt: skip
