"""Questions that only look: usage, lists, maps, idle things, clash checks, verification.

None of them changes anything. What a write needs to know is in `lookup`.
"""
