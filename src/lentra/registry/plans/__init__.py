"""From a plan's text to places: read, looked up, compared with what is there, laid out, proposed.

Nothing here writes records: `operations.plans` does, with what is proposed here. A proposal's token carries every place.
"""
