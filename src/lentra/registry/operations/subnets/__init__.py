"""What is done with subnets and what is inside them.

`opened` finds, opens and locks a subnet for all of them. A hand-out reads as its sentence: read the request, lock,
choose, record.
"""
