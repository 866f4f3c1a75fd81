"""Whether those who must always get in still can.

Not here: refusing what locks out (`service.rulebooks`, `service.inventory`).
"""
