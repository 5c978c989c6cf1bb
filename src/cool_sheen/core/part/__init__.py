"""What a part's zones are and may take: climate, film clocks, keys, gates; the one account that every screen asks."""
