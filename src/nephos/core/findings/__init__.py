"""Findings: one module for each group of checks."""
