"""What Rules shows, as numbers: no Qt."""
