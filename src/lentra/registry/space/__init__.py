"""The one door to a pool's space, and what is behind it.

`locking.open_pools` locks pools in one order, ends what is due, opens a store for each family and saves them at its
end; nothing else writes extents, counters or tiles. `expiry` ends what ends by itself, `reserved` is a reservation
seen as space, `evidence` tells what stands in the way.
"""
