"""A take's findings as one self-contained page, with the pictures that prove them. No Qt: it is written without a screen."""
