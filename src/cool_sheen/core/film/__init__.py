"""The film as it stands: coats, sanding, grits."""
