"""Shapes of what comes in and goes out."""
