"""Requests that wait for a planner: asked for, edited, granted, refused, withdrawn, passed on, lapsed.

What may wait is an operation like any other: it is done at once where no approval rule stands against it (`ask`). Where one
does, nothing of it is kept but the request, and the space that it was shown if the rule holds that; a planner has it done.
"""
