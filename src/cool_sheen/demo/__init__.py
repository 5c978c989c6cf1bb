"""The demo shop: a small refinishing shop in the middle of its day."""
