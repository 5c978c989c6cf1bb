"""What coats take: paint by zone, components, fills, consumables."""
