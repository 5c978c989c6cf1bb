"""The trade as pure Python: no database, no web, no clock of its own."""
