"""Rules: what must hold in a game, written as sentences, parsed, and checked against takes."""
