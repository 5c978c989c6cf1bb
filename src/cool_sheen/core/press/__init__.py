"""What a press means to log, and what it contradicts."""
