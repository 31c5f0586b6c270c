"""What stands in DNS zones: it follows from the registry, is kept after each change of it, and waits to be pushed.

A hand-out pays nothing for it: the feed of the ledger is read after the commit, by a process of its own.
"""
