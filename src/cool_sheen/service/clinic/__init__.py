"""The clinic: a defect on a part, the causes by its log, and which cause it was."""
