"""The steps of a system, what to do next, and when."""
