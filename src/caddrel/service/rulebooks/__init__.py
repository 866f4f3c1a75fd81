"""Revisions, drafts and plans: what becomes of rulebooks before they are in force and after."""
