"""What comes in that nobody would type: forms, files and calls, made out of the application's own pages."""
