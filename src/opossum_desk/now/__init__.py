"""The bar that says what the games do now, and what they are to be held at."""
