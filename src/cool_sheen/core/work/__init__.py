"""The steps of a system on a part, what is owed to which zone, labour, working hours, making ready."""
