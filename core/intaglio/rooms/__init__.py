"""Rooms of the space around and within surfaces, and the passages that join them: how wide a ball
gets where."""
