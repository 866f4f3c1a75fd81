"""Who calls and whether they may: accounts, sessions, tokens, passwords, second factors."""
