"""The JSON contract of the calculators."""
