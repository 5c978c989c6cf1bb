"""What the application does: the log, the jobs, the climate and the bench, put together from core and store."""
