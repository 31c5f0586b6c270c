"""What is to come: readings, forecasts, steps that are known, outlooks, alerts, what if.

Readings and outlooks are kept by upkeep; an outlook stands as long as what it stands on is unchanged. What-if really
does what is supposed, in a transaction that is undone.
"""
