"""DNS zones and their records by hand: add, edit, remove; have one pushed, or held against its server."""
