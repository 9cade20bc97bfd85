"""Views of one take that stay where they are, whatever the rows of the middle are."""
