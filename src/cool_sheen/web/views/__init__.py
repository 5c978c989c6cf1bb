"""Plain view models: what the pictures and pages show, computed here and drawn by templates."""
