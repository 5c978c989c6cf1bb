"""What a look over the part finds: readings of the film, defects and the way back, enough to sand, rounds to come."""
