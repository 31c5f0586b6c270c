"""Side-by-side measurements: everything as a ratio within one run."""
