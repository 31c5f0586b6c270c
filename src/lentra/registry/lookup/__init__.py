"""Finding what a write needs: records by name or number, locked ones, pools that serve, who a request is for.

`locked.find_locked` finds, locks and looks again: whatever is judged is judged on the locked row. Questions that only
look are in `reports`.
"""
