"""The gun: its air, what it lays down, how it is set, and what to look for when it will not spray."""
