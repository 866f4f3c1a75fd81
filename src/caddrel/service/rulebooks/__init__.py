"""Revisions, drafts and plans: what becomes of rulebooks before they are in force and after.

Not here: what somebody who writes one is shown (`authoring`).
"""
