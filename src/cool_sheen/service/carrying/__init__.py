"""Projects between machines: one as a document with all that its state rests on, and back."""
