"""What a shop's own records come to: hours and costs as they came against the estimate, defects, and why."""
