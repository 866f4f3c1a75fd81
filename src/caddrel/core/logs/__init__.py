"""Reading the sign-in log with the condition language, and finding causes and remedies in it."""
