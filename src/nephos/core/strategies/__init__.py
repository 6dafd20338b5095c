"""Strategies: one module each, and what they share a level below."""
