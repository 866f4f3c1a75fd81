"""What is kept: two SQLite files, one for rulebook, inventory and accounts, one for the sign-in log.

The only package that imports SQLAlchemy; frozen values come out, never rows.

Not here: what anything of it means: the rooms of the service.
"""
