"""Renumbering: moving many subnets from old space to new, both sides living until the last one has moved.

`laying` finds the place of everything; `renumber` hands out the new side; `waves` begins, finishes and turns back; `hosts`
carries address records along and counts who has moved. No rule of placement is made here: that is the core's.
"""
