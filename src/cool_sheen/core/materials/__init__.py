"""How much of everything."""
