"""Whole pieces of work told in text, with the figures as they were when somebody read them through.

``python -m tests.told`` tells them anew after a change that is meant to move figures; the difference is read like code.
"""
