"""The mixing bench: worked out, poured, used, put away."""
