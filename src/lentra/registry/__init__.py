"""The registry: records, and the transactions that change them.

Layers, each resting on those below: upkeep and mending; foresight; reports; operations; plans; requests; rules;
lookup; space; transactions; models; errors. The linter of imports holds them. Nothing here knows of HTTP.
"""
