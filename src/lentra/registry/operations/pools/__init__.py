"""What is done with pools and their ranges, with keep-outs, and with counters that are wrong.

Changes of a realm's outline lock it before any pool.
"""
