"""What is done with the ledger itself: a change that it tells of is taken back."""
