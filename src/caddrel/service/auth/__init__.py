"""Who calls and whether they may: accounts, sessions, tokens, passwords, second factors.

Not here: what a person who signs in at a door may do, which policies say (`decisions`).
"""
