"""Bringing tables in: a file is kept, its rows are looked at, all of them or the good ones are committed, and taken back.

What a kind of record has in a table is in `columns` and `records`; subnets, of which there may be very many, are placed by
one sweep in `subnets`. `work` does what an intake waits for, in a process of its own that may be killed at any time.
"""
