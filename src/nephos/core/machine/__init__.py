"""Machines: what they can do and how long a program takes on them."""
