"""The core: prefixes, free space, placement, sizing, overlap, rule sheets, usage. No I/O, no framework."""
