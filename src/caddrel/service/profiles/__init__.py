"""One thing looked at from all sides: a person, a device, an app, a group, a standard, a policy.

Not here: lists of them (`views.inventory`), and one sign-in (`tracing`).
"""
