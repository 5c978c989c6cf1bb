"""Air, surfaces, spaces and the gates that the weather shuts."""
