"""Costs before anything is calculated."""
