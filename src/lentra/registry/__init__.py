"""Records and transactions: what is kept, and every way in which it can change."""
