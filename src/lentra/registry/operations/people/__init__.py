"""People and their tokens.

Only hashes of passwords and tokens are kept.
"""
