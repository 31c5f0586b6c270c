"""The rules of the job that need records: who may, quotas, segment tags, names, kinds of records, drawing from reservations.

Each stands here once; operations ask and are refused. Rules that need no records are in the core.
"""
