"""The rest of a part's work laid along time, and when a gate opens or a day's last coat may start."""
