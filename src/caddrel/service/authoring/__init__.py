"""What somebody who writes a draft is shown and told: objects, scopes, completion, language.

Not here: keeping and publishing drafts (`rulebooks`).
"""
