"""Reading the sign-in log with the condition language, and finding causes and remedies in it.

Not here: where the log is (`store.signins`).
"""
