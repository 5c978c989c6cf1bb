"""Products, and the systems that are built of them."""
