"""Ranges kept back: reserve, edit, give back.

What was drawn from a reservation goes back to it while it stands.
"""
