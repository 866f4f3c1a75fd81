"""People, groups, devices, apps and address lists: reading them, their index, and completion from it.

Not here: where it is stored (`store.inventory`).
"""
