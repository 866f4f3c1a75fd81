"""The computation, pure: language, rulebooks, decisions and their words.

Not here: files, clocks, databases, HTTP. All of that is handed in by the callers.
"""
