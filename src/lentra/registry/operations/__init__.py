"""Every way in which the registry changes: one file per operation, named by its verb, in groups by what it changes.

Each function takes the `Change` that `run_transaction` gives it, checks, then does the work. Docstrings name the refusals.
"""
