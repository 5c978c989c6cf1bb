"""The clinic: why a defect came, by what the log of the part says."""
