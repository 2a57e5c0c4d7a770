"""Layers over each other: stacks from tones, what holds and what falls out, bridges."""
