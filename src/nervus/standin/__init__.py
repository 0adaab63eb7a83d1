"""Stand-ins that ship with the product: invented vehicles, for the demo and for tests.

Nothing in the core imports this room, and what is planted here is never told to it.
"""
