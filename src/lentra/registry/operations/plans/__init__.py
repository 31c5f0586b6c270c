"""Plans committed, removed, and expected.

A plan is handed out whole or not at all; what it keeps back becomes its reservations.
"""
