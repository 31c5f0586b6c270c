"""Records of set-up: realms, regions, zones, tiers, projects, rule sheets, planned needs.

What differs between kinds is said once, in `rules.kinds`; here a record of any kind is added, edited, removed.
"""
