"""Password standards: whether a candidate password is good enough, and when guessing locks out.

Not here: remembering what was used (`service.auth.passwords`).
"""
