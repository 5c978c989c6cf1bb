"""The pages and their fragments."""
