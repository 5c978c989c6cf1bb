"""What is underneath: zones and their areas, the old finish, the tests that find it out."""
