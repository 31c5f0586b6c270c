"""The estate file: the registry, a realm or a project as one YAML or JSON file, written, previewed, committed, compared.

Each section holds the records of a kind by their keys, in a stable order; an entry says the facts that are to hold, and what
it does not say stays. What is not in the file is only listed, and taken away on explicit word.
"""
