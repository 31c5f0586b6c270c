"""From a request to a place: is it sensible, which pool may serve it, which lengths come of it, and where the blocks go.

`request` reads and refuses; `allocation` chooses in an open pool and takes for an owner whose number is known. Plans
and operations rest on both.
"""
