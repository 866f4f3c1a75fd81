"""The sign-in log: into it, out of it, and looked into."""
