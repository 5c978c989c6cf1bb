"""The mixing bench: ratios, pours, rescue, pot life, speeds."""
