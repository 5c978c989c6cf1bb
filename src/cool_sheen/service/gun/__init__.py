"""The gun bench: guns that there are, a set-up worked out, cards, the field and what was trained."""
