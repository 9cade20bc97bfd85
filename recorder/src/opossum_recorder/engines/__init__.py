"""Adapters: each records games on one engine through that engine's public interfaces, without editing the game."""
