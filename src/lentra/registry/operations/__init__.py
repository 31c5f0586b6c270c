"""Every way in which the registry changes: one file per operation, named by its verb.

Each function takes the `Change` that `lentra.registry.envelope.perform` gives it, checks, then does the
work. Docstrings name the refusals.
"""
