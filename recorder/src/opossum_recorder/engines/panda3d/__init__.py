"""Panda3D: its messenger, tasks, intervals and actors."""
