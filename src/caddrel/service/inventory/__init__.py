"""What changes of the inventory mean: whom they change, and who must stay able to administer.

Not here: reading objects and completing from them (`core.inventory`).
"""
