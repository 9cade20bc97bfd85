"""What is where on the views around the middle. No Qt here."""
