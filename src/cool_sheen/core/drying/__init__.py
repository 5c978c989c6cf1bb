"""The clock: how a film dries through the climate that it sees."""
