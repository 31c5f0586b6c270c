"""Subscriptions: who is told of changes is added and edited, paused, and sent to again.

Sending itself is no change of the registry: `publishing` does it, and notes how far it has come.
"""
