"""Cool Sheen: plan, time and log coating systems."""

__version__ = "0.1.0"
