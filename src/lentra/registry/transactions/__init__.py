"""The unit of work: clock, actor, time budget, retry, idempotency key, ledger, previews and their proposals.

`run.run_transaction` runs a piece of work as one change and hands it a `change.Change`. `failures` says what the
database's errors mean, `sql` keeps the statements of the hot path compiled.
"""
