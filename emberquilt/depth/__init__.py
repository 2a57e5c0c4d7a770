"""Depth as a question of its own: what stands in front of what, and how high each thing then is."""
