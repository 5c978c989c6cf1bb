"""Findings over a stack, ways out of them, schools, and what follows from each."""
