"""The documentation, served at `/docs` from the same Markdown that stands in the repository.

Not here: what it says (`docs/`).
"""
