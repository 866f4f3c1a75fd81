"""Is anything wrong? Causes that are new or grow, shadow policies, what ends soon, what fails.

Not here: one sign-in (`tracing`), and how the service is set up (`tracing.doctor`, of which the findings are taken).
"""
