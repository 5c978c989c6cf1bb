"""What happened, entry by entry, and what follows from it."""
