"""What the bar says, as text. No Qt here."""
