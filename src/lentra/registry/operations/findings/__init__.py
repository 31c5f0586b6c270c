"""Surveys taken, what they differ in from the registry, and what is done about it.

`take_survey` keeps what a source has seen and judges its realm: `judge` says what the findings are to be, opens those that
are new, and closes those whose difference is gone.
"""
