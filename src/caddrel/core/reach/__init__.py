"""What somebody can open by a plain sign-in as things are now.

Not here: all that could happen (`core.cases`), and who must stay able to administer (`core.lockout_check`).
"""
