"""Reading and writing: logger files, the catalogue that ships."""
